import { MenuItem, Select } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { FieldDetails } from "./FieldDetails";
import { MatchOptions } from "./MatchOptions";
import type { FieldPair, SetUp } from "./queries";

type Pair = Schemas["FieldPairBody"];

interface Props {
  setUp: SetUp;
  fields: Pair[];
  onChange: (fields: Pair[]) => void;
}

const DIRECTIONS = { both: "↔ both ways", to_right: "→ to the right", to_left: "← to the left" } as const;
const COLUMNS = 7;
const POLICIES = { ask: "ask", left: "left wins", right: "right wins", newest: "newest wins" } as const;

/** The matched fields, row by row: direction, how values are kept, what is done where both sides were edited, and what is lost. */
export function FieldMatching({ setUp, fields, onChange }: Props) {
  const set = (id: string, part: Partial<Pair>) => onChange(fields.map((one) => (one.id === id ? { ...one, ...part } : one)));
  const known = new Map(setUp.fields.map((one) => [one.id, one]));
  return (
    <section aria-label="Matched fields">
      <h2>Matched fields</h2>
      <table className="list matching" aria-label="Matched fields">
        <colgroup>
          <col />
          <col className="w-150" />
          <col />
          <col className="w-200" />
          <col className="w-112" />
          <col />
          <col className="w-130" />
        </colgroup>
        <thead>
          <tr>
            <th>{setUp.left.name}</th>
            <th>Direction</th>
            <th>{setUp.right.name}</th>
            <th>Kept as</th>
            <th>If both edited</th>
            <th>What does not cross</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {fields.map((pair) => (
            <One
              key={pair.id}
              pair={pair}
              told={known.get(pair.id)}
              setUp={setUp}
              onChange={(part) => set(pair.id, part)}
              onRemove={() => onChange(fields.filter((one) => one.id !== pair.id))}
            />
          ))}
        </tbody>
      </table>
      <AddPair setUp={setUp} fields={fields} onChange={onChange} />
    </section>
  );
}

interface OneProps {
  pair: Pair;
  told: FieldPair | undefined;
  setUp: SetUp;
  onChange: (part: Partial<Pair>) => void;
  onRemove: () => void;
}

function One({ pair, told, setUp, onChange, onRemove }: OneProps) {
  const left = setUp.left.fields.find((f) => f.id === pair.left);
  const right = setUp.right.fields.find((f) => f.id === pair.right);
  const name = left?.name ?? "removed";
  const [isOpen, setOpen] = useState(false);
  const row = (
    <tr>
      <td>{left?.name ?? <span className="bad">removed</span>}</td>
      <td>
        <Select
          value={pair.direction ?? "both"}
          SelectDisplayProps={{ "aria-label": `Direction of ${name}` }}
          onChange={(event) => onChange({ direction: event.target.value })}
        >
          {Object.entries(DIRECTIONS).map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </Select>
      </td>
      <td>{right?.name ?? <span className="bad">removed</span>}</td>
      <td>
        {told && told.choices.length > 1 ? (
          <Select
            value={pair.translation}
            SelectDisplayProps={{ "aria-label": `How ${name} is kept` }}
            onChange={(event) => onChange({ translation: event.target.value, options: {} })}
          >
            {told.choices.map((choice) => (
              <MenuItem key={choice.code} value={choice.code}>
                {choice.words}
              </MenuItem>
            ))}
          </Select>
        ) : (
          told?.choices[0]?.words
        )}
        {left && right && Array.isArray(pair.options?.pairs) && (
          <div>
            <MatchOptions
              left={left}
              right={right}
              pairs={pair.options.pairs as string[][]}
              onChange={(pairs) => onChange({ options: { ...pair.options, pairs } })}
            />
          </div>
        )}
      </td>
      <td>
        <Select
          value={pair.policy ?? "ask"}
          disabled={pair.direction !== "both"}
          SelectDisplayProps={{ "aria-label": `If both sides edited ${name}` }}
          onChange={(event) => onChange({ policy: event.target.value })}
        >
          {Object.entries(POLICIES).map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </Select>
      </td>
      <td className="wrap">
        {told?.wrong ? (
          <span className="bad">{told.wrong}</span>
        ) : (
          <span className="quiet">{told?.loses.join(" ") || "Everything crosses."}</span>
        )}
      </td>
      <td>
        <button className="link" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)} aria-label={`Details of ${name}`}>
          Details
        </button>{" "}
        <button className="link" onClick={onRemove} aria-label={`Remove ${name}`}>
          Remove
        </button>
      </td>
    </tr>
  );
  return (
    <>
      {row}
      {isOpen && (
        <tr>
          <td colSpan={COLUMNS}>
            <FieldDetails pair={pair} told={told} setUp={setUp} onChange={onChange} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Two more fields that are matched, each chosen among those that are not yet. */
function AddPair({ setUp, fields, onChange }: Props) {
  const [left, setLeft] = useState("");
  const [right, setRight] = useState("");
  const open = {
    left: setUp.left.fields.filter((f) => !fields.some((one) => one.left === f.id)),
    right: setUp.right.fields.filter((f) => !fields.some((one) => one.right === f.id)),
  };
  const add = (ours: string, theirs: string) => {
    setLeft("");
    setRight("");
    const plain = { direction: "both", policy: "ask", empty: "value", drift: "leave", options: {} } as const;
    onChange([...fields, { ...plain, id: `${ours}~${theirs}`, left: ours, right: theirs, translation: "" }]);
  };
  const select = (side: "left" | "right", value: string, take: (id: string) => void) => (
    <Select
      value={value}
      displayEmpty
      className="min-200"
      SelectDisplayProps={{ "aria-label": `Field of ${setUp[side].name} to match` }}
      onChange={(event) => take(event.target.value)}
    >
      <MenuItem value="" disabled>
        Field of {setUp[side].name}
      </MenuItem>
      {open[side].map((f) => (
        <MenuItem key={f.id} value={f.id}>
          {f.name}
        </MenuItem>
      ))}
    </Select>
  );
  return (
    <div className="row above-2">
      <span>Match</span>
      {select("left", left, (id) => (right ? add(id, right) : setLeft(id)))}
      <span>with</span>
      {select("right", right, (id) => (left ? add(left, id) : setRight(id)))}
    </div>
  );
}
