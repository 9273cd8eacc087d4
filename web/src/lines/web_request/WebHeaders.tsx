import { useMutation } from "@tanstack/react-query";
import { answer, client, said } from "../../api/client";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { useLine } from "../../screens/timetable/lineContext";
import type { WebRequest } from "../../screens/timetable/model";
import { MoreRow, PanelRow, Remove } from "../../screens/timetable/PanelRow";

type Header = WebRequest["headers"][number];

interface Props {
  line: WebRequest;
  problem: string | undefined;
  onChange: (line: WebRequest) => void;
}

/** The headers of a web request; what is secret is typed once and not shown again. */
export function WebHeaders({ line, problem, onChange }: Props) {
  const set = (at: number, header: Header | null) =>
    onChange({ ...line, headers: line.headers.flatMap((h, n) => (n === at ? (header ? [header] : []) : [h])) });
  const add = (secret: number | null) =>
    onChange({ ...line, headers: [...line.headers, { name: secret === null ? "" : "Authorization", filling: [], secret }] });
  return (
    <>
      {line.headers.map((header, at) => (
        <PanelRow key={at} name={at === 0 ? "Headers" : ""}>
          <div className="row">
            <input
              className="find flush w-150"
              aria-label={`Name of header ${at + 1}`}
              placeholder="X-Workshop"
              value={header.name}
              onChange={(event) => set(at, { ...header, name: event.target.value })}
            />
            <div className="grow">
              {header.secret === null ? (
                <FilledWith
                  label={`Header ${header.name || at + 1}`}
                  parts={header.filling}
                  onChange={(filling) => set(at, { ...header, filling })}
                />
              ) : (
                <Secret header={header} onKept={(secret) => set(at, { ...header, secret })} />
              )}
            </div>
            <Remove name={`header ${header.name || at + 1}`} onClick={() => set(at, null)} />
          </div>
        </PanelRow>
      ))}
      <MoreRow problem={problem} onClick={() => add(null)}>
        + Add header
      </MoreRow>
      <MoreRow onClick={() => add(0)}>+ Add secret header</MoreRow>
    </>
  );
}

/** A secret is kept sealed on leaving its field, and is not shown again. */
function Secret({ header, onKept }: { header: Header; onKept: (secret: number) => void }) {
  const { workflow } = useLine();
  const keep = useMutation({
    mutationFn: (secret: string) =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/secrets", { params: { path: { workflow_id: workflow } }, body: { secret } })),
    onSuccess: (kept) => onKept(kept.number),
  });
  if (header.secret)
    return (
      <span>
        saved, not shown again ·{" "}
        <button className="link" onClick={() => onKept(0)}>
          Replace secret
        </button>
      </span>
    );
  return (
    <>
      <input
        className="find flush"
        type="password"
        autoComplete="off"
        aria-label={`Secret of ${header.name || "the header"}`}
        placeholder="Bearer …, saved when you leave this field"
        onBlur={(event) => event.target.value.trim() && keep.mutate(event.target.value)}
      />
      {keep.error && <span className="bad">! {said(keep.error)}</span>}
    </>
  );
}
