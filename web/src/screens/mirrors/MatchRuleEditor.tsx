import { MenuItem, Select } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, client, said, type Schemas } from "../../api/client";
import type { Mirror, SetUp } from "./queries";

type Rule = Schemas["RuleBody"];
type Key = Schemas["KeyBody"];

interface Props {
  mirror: Mirror;
  setUp: SetUp;
  rule: Rule;
  onChange: (rule: Rule) => void;
}

const BY = { exact: "is exactly", normalised: "is, but for case and punctuation,", near: "is like" } as const;

/** By which fields items are recognised as the same, tried at once on the newest items of both sides. */
export function MatchRuleEditor({ mirror, setUp, rule, onChange }: Props) {
  const keys = rule.keys ?? [];
  const set = (at: number, part: Partial<Key>) => onChange({ ...rule, keys: keys.map((key, n) => (n === at ? { ...key, ...part } : key)) });
  const select = (at: number, side: "left" | "right", key: Key) => (
    <Select
      value={key[side]}
      SelectDisplayProps={{ "aria-label": `Key ${at + 1} of ${setUp[side].name}` }}
      onChange={(event) => set(at, { [side]: event.target.value })}
    >
      {setUp[side].fields.map((f) => (
        <MenuItem key={f.id} value={f.id}>
          {f.name}
        </MenuItem>
      ))}
    </Select>
  );
  const first = setUp.fields.find((one) => !keys.some((key) => key.left === one.left));
  return (
    <>
      {keys.map((key, n) => (
        <div key={`${n} ${key.left} ${key.right}`} className="row wrapped">
          {select(n, "left", key)}
          <Select
            value={key.by ?? "normalised"}
            SelectDisplayProps={{ "aria-label": `How key ${n + 1} is compared` }}
            onChange={(event) => set(n, { by: event.target.value })}
          >
            {Object.entries(BY).map(([value, words]) => (
              <MenuItem key={value} value={value}>
                {words}
              </MenuItem>
            ))}
          </Select>
          {select(n, "right", key)}
          <button
            className="link"
            aria-label={`Remove key ${n + 1}`}
            onClick={() => onChange({ ...rule, keys: keys.filter((_, at) => at !== n) })}
          >
            ×
          </button>
        </div>
      ))}
      {first && (
        <button
          className="link tall"
          onClick={() => onChange({ ...rule, keys: [...keys, { left: first.left, right: first.right, by: "normalised" }] })}
        >
          Add key
        </button>
      )}
      <Tried mirror={mirror} setUp={setUp} rule={rule} />
    </>
  );
}

/** What the rule comes to with the newest items. */
function Tried({ mirror, setUp, rule }: Omit<Props, "onChange">) {
  const tried = useQuery({
    queryKey: ["mirror-tried", mirror.id, rule],
    queryFn: () => answer(client.POST("/api/v1/mirrors/{mirror_id}/try-rule", { params: { path: { mirror_id: mirror.id } }, body: rule })),
    enabled: (rule.keys ?? []).length > 0,
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    retry: false,
  });
  if (tried.error) return <div className="note bad">{said(tried.error)}</div>;
  if (!tried.data) return null;
  const { left, right, pairs, doubts, examples, open } = tried.data;
  return (
    <div className="above-2" aria-live="polite">
      <b>
        {pairs === 1 ? "1 pair" : `${pairs} pairs`}
        {doubts > 0 && <span className="look">, {doubts} in doubt</span>}
      </b>{" "}
      <span className="quiet">
        among the newest {left} of {setUp.left.name} and {right} of {setUp.right.name}
      </span>
      <ul className="tried">
        {[...examples, ...open].slice(0, 6).map((one, n) => (
          <li key={`${n} ${one.left}`}>
            <span className="clip">{one.left}</span>
            <span className={n < examples.length ? "ok" : "look"}>{n < examples.length ? "=" : "≈"}</span>
            <span className="clip">{one.right}</span>
            <span className="quiet num">{Math.round(one.chance * 100)}%</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
