import { Button, Menu, MenuItem } from "@mui/material";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { useTypeOf, type FieldType } from "../../api/queries";
import { useLine } from "../../screens/timetable/lineContext";
import { MakingEditor } from "./MakingEditor";
import { newId, type Cell, type Carried, type Making, type Rehearsal, type Shape, type Shaped } from "../../screens/timetable/model";

interface Props {
  line: Shape;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: Shape) => void;
}

const KINDS: Record<Making["kind"], string> = {
  date_part: "part of a date or time",
  piece: "part of a text",
  look_up: "look up in a small table",
  join: "several values joined",
  default: "a value, or another if empty",
  cite: "short citation",
  filled: "text, values or a formula",
};

/** What a new making begins with: the first value that it could be made of. */
type Fits = (type: FieldType) => boolean;

function start(kind: Making["kind"], carried: Carried[], typeOf: ReturnType<typeof useTypeOf>): Making {
  const first = (...wanted: Fits[]) => {
    const all = (fits: Fits) => carried.find((c) => fitting(typeOf(c.type), fits));
    const found = wanted.map(all).find(Boolean);
    return found ? { line: found.line, value: found.key } : null;
  };
  switch (kind) {
    case "date_part":
      return {
        kind,
        of: first(
          (t) => t.has_clock,
          (t) => t.tells_day,
        ),
        pattern: "HH:mm",
      };
    case "piece":
      return { kind, of: first((t) => t.is_text), delimiter: ",", number: 1 };
    case "look_up":
      return { kind, of: first((t) => t.is_text), rows: [{ key: "", value: "" }], otherwise: "" };
    case "join":
      return { kind, of: [], delimiter: ", " };
    case "default":
      return { kind, of: [], otherwise: "" };
    case "cite":
      return { kind, authors: first((t) => t.is_text && !t.is_long), year: first((t) => t.tells_day), title: null };
    case "filled":
      return { kind, filling: [] };
  }
}

const fitting = (type: FieldType | undefined, fits: Fits) => type !== undefined && fits(type);

const NAMES: Record<Making["kind"], string> = {
  date_part: "Time",
  piece: "Piece",
  look_up: "Found",
  join: "Joined",
  default: "Value",
  cite: "Citation",
  filled: "Value",
};

/** Named values for the lines below. */
export function ShapePanel({ line, cell, findings, onChange }: Props) {
  const { carried } = useLine();
  const typeOf = useTypeOf();
  const [adding, setAdding] = useState<HTMLElement | null>(null);
  const above = carried.filter((c) => c.line !== line.id);
  const set = (key: string, next: Shaped | null) =>
    onChange({ ...line, values: line.values.flatMap((v) => (v.key === key ? (next ? [next] : []) : [v])) });
  const add = (...made: [string, Making][]) => {
    onChange({ ...line, values: [...line.values, ...made.map(([name, making]) => ({ key: newId(), name: unused(name), made: making }))] });
    setAdding(null);
  };
  const unused = (name: string) => {
    const taken = new Set(line.values.map((v) => v.name));
    for (let n = 1; ; n++) if (!taken.has(n === 1 ? name : `${name} ${n}`)) return n === 1 ? name : `${name} ${n}`;
  };
  const moment = above.find((c) => typeOf(c.type)?.has_clock);
  return (
    <>
      <table aria-label="Values of this line">
        <colgroup>
          <col className="w-130" />
          <col className="half" />
          <col />
        </colgroup>
        <thead>
          <tr>
            <th>Name</th>
            <th>Made from</th>
            <th>Gives</th>
          </tr>
        </thead>
        <tbody>
          {line.values.map((value) => (
            <Row key={value.key} value={value} cell={cell} findings={findings} set={(next) => set(value.key, next)} />
          ))}
        </tbody>
      </table>
      <div className="row above-2">
        <Button variant="text" className="narrow" onClick={(event) => setAdding(event.currentTarget)}>
          + Add value
        </Button>
        {moment && (
          <button
            className="link"
            onClick={() => {
              const of = { line: moment.line, value: moment.key };
              add(["Day", { kind: "date_part", of, pattern: "" }], ["Time", { kind: "date_part", of, pattern: "HH:mm" }]);
            }}
          >
            split {moment.name.slice(-1)[0]} into date and time
          </button>
        )}
      </div>
      <Menu anchorEl={adding} open={adding !== null} onClose={() => setAdding(null)}>
        {(Object.keys(KINDS) as Making["kind"][]).map((kind) => (
          <MenuItem key={kind} onClick={() => add([NAMES[kind], start(kind, above, typeOf)])}>
            {KINDS[kind]}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}

interface RowProps {
  value: Shaped;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  set: (next: Shaped | null) => void;
}

function Row({ value, cell, findings, set }: RowProps) {
  const result = cell?.parts.find((r) => r.key === value.key);
  const sentence = result?.sentence || findings.find((f) => f.key === value.key)?.sentence;
  const bad = !result || result.state === "put_right";
  const asFormula = async () => set(await answer(client.POST("/api/v1/shaped/as-formula", { body: { shaped: value } })));
  return (
    <tr>
      <td className="wrap">
        <input
          className="find flush"
          aria-label="Name of the value"
          value={value.name}
          onChange={(event) => set({ ...value, name: event.target.value })}
        />
      </td>
      <td className="wrap">
        <MakingEditor name={value.name} made={value.made} onChange={(made) => set({ ...value, made })} />
      </td>
      <td className="wrap">
        {result && !bad && <span className="clip">{result.shown}</span>}
        {sentence && (
          <span
            className={bad ? "bad" : result.state === "look" ? "look" : "quiet"}
          >{`${bad ? "! " : result.state === "look" ? "? " : ""}${sentence}`}</span>
        )}
        {result?.remedies.map((remedy) => (
          <span key={remedy.label}>
            {" · "}
            <button className="link" onClick={() => remedy.shaped && set(remedy.shaped)}>
              {remedy.label}
            </button>
          </span>
        ))}
        <div className="row">
          {value.made.kind !== "filled" && !bad && (
            <button className="link" onClick={() => void asFormula()}>
              Edit as formula
            </button>
          )}
          <button className="link" aria-label={`Remove ${value.name}`} onClick={() => set(null)}>
            ×
          </button>
        </div>
      </td>
    </tr>
  );
}
