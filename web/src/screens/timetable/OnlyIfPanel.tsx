import { MenuItem, Select } from "@mui/material";
import { useEffect, useState } from "react";
import { sameRef, type Carried, type Cell, type OnlyIf, type Operator, type Ref } from "./model";
import { usePointing } from "./pointing";

interface Props {
  line: OnlyIf;
  carried: Carried[];
  cell: Cell | undefined;
  words: Record<string, string>;
  shown: (ref: Ref) => string;
  onChange: (line: OnlyIf) => void;
}

type Condition = OnlyIf["conditions"][number];
const NEEDS_NOTHING = new Set<string>(["filled", "empty"]);

/** Conditions as rows: a value, how it compares, with what. Words are separated by commas; any of them will do. */
export function OnlyIfPanel({ line, carried, cell, words, shown, onChange }: Props) {
  const { aim } = usePointing();
  const set = (at: number, condition: Condition) =>
    onChange({ ...line, conditions: line.conditions.map((c, n) => (n === at ? condition : c)) });
  const add = (ref: Ref) => {
    const known = carried.find((c) => sameRef({ line: c.line, value: c.key }, ref));
    const operator = (known?.operators[0] ?? "mentions") as Operator;
    onChange({ ...line, conditions: [...line.conditions, { ref, operator, words: [] }] });
  };
  useEffect(() => {
    aim(add);
  });

  return (
    <>
      <div className="row" style={{ marginBottom: 6 }}>
        <span>Goes on when</span>
        <Select
          value={line.mode}
          sx={{ height: 28 }}
          SelectDisplayProps={{ "aria-label": "How the conditions go together" }}
          onChange={(event) => onChange({ ...line, mode: event.target.value as OnlyIf["mode"] })}
        >
          <MenuItem value="all">all of these hold</MenuItem>
          <MenuItem value="any">any of these holds</MenuItem>
        </Select>
        <span className={cell?.state === "put_right" ? "bad" : "quiet"}>
          {cell?.state === "put_right" ? `! ${cell.note}` : cell?.state === "goes_on" ? "this sample goes on" : cell?.state === "passed_by" ? "this sample is passed by" : ""}
        </span>
      </div>
      {line.conditions.map((condition, at) => (
        <Row
          key={at}
          condition={condition}
          carried={carried}
          words={words}
          shown={shown}
          onChange={(next) => set(at, next)}
          onRemove={() => onChange({ ...line, conditions: line.conditions.filter((_, n) => n !== at) })}
        />
      ))}
      <div style={{ marginTop: 8 }}>
        <button className="link" onClick={() => carried[0] && add({ line: carried[0].line, value: carried[0].key })}>
          + add a condition
        </button>
        <span className="quiet"> or point at a piece of the sample</span>
      </div>
    </>
  );
}

interface RowProps {
  condition: Condition;
  carried: Carried[];
  words: Record<string, string>;
  shown: (ref: Ref) => string;
  onChange: (condition: Condition) => void;
  onRemove: () => void;
}

function Row({ condition, carried, words, shown, onChange, onRemove }: RowProps) {
  const known = carried.find((c) => sameRef({ line: c.line, value: c.key }, condition.ref));
  const joined = condition.words.join(", ");
  const [typed, setTyped] = useState(joined);
  const parsed = typed.split(",").map((w) => w.trim()).filter(Boolean);
  const text = parsed.join(", ") === joined ? typed : joined;
  return (
    <div className="cond">
      <Select
        value={known ? `${known.line} ${known.key}` : ""}
        displayEmpty
        sx={{ height: 28 }}
        SelectDisplayProps={{ "aria-label": "Value" }}
        onChange={(event) => {
          const [of, value] = event.target.value.split(" ");
          const next = carried.find((c) => c.line === of && c.key === value);
          if (!next) return;
          const operator = (next.operators.includes(condition.operator) ? condition.operator : next.operators[0]) as Operator;
          onChange({ ...condition, ref: { line: next.line, value: next.key }, operator });
        }}
      >
        {!known && (
          <MenuItem value="" disabled>
            no longer carried
          </MenuItem>
        )}
        {carried.map((c) => (
          <MenuItem key={`${c.line} ${c.key}`} value={`${c.line} ${c.key}`}>
            {c.name.slice(1).join(" › ") || c.name[0]}
          </MenuItem>
        ))}
      </Select>
      <Select
        value={condition.operator}
        sx={{ height: 28 }}
        SelectDisplayProps={{ "aria-label": "Comparison" }}
        onChange={(event) => onChange({ ...condition, operator: event.target.value as Operator })}
      >
        {(known?.operators ?? [condition.operator]).map((o) => (
          <MenuItem key={o} value={o}>
            {words[o] ?? o}
          </MenuItem>
        ))}
      </Select>
      {NEEDS_NOTHING.has(condition.operator) ? (
        <span className="clip quiet">{shown(condition.ref)}</span>
      ) : (
        <input
          className="find"
          style={{ margin: 0 }}
          aria-label="Compared with"
          placeholder="words, separated by commas"
          title={`In this sample: ${shown(condition.ref)}`}
          value={text}
          onChange={(event) => {
            setTyped(event.target.value);
            onChange({ ...condition, words: event.target.value.split(",").map((w) => w.trim()).filter(Boolean) });
          }}
        />
      )}
      <button className="link" aria-label="Take this condition away" onClick={onRemove}>
        ×
      </button>
    </div>
  );
}
