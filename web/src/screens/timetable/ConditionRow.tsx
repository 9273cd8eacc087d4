import { MenuItem, Select } from "@mui/material";
import { useState, type ReactNode } from "react";
import { FormulaPart } from "./FormulaPart";
import { useLine } from "./lineContext";
import { carriedName } from "./carried";
import { ComparedWith } from "./ComparedWith";
import { sameRef, type Condition, type Formula, type Operator } from "./model";

const NEEDS_NOTHING = new Set<string>(["filled", "empty"]);

interface Props {
  test: Condition | Formula;
  count: ReactNode;
  onChange: (test: Condition | Formula) => void;
  onRemove: () => void;
}

/** One condition: a value, how it compares, with what. What no row can say is shown as the formula it is. */
export function ConditionRow({ test, count, onChange, onRemove }: Props) {
  const take = (
    <button className="link" aria-label="Remove condition" onClick={onRemove}>
      ×
    </button>
  );
  if (test.kind === "condition") return <Compared condition={test} count={count} take={take} onChange={onChange} />;
  return <Written formula={test} count={count} take={take} onChange={onChange} />;
}

function Written({
  formula,
  count,
  take,
  onChange,
}: {
  formula: Formula;
  count: ReactNode;
  take: ReactNode;
  onChange: (formula: Formula) => void;
}) {
  const { rehearsal } = useLine();
  const [open, setOpen] = useState(false);
  const text = rehearsal?.formulas[formula.tree]?.text ?? formula.text;
  return (
    <>
      <div className="cond written">
        <button className="tok mathematical" aria-expanded={open} aria-label={`Formula ${text}: edit it`} onClick={() => setOpen(!open)}>
          <span className="clip">{text}</span>
        </button>
        {count}
        {take}
      </div>
      {open && <FormulaPart label="Condition" formula={formula} onChange={onChange} onClose={() => setOpen(false)} />}
    </>
  );
}

interface ComparedProps {
  condition: Condition;
  count: ReactNode;
  take: ReactNode;
  onChange: (condition: Condition) => void;
}

/** Words are separated by commas; any of them will do. */
function Compared({ condition, count, take, onChange }: ComparedProps) {
  const { carried, gone, shown, rehearsal } = useLine();
  const words = rehearsal?.operator_words ?? {};
  const known = carried.find((c) => sameRef({ line: c.line, value: c.key }, condition.ref));
  return (
    <div className="cond">
      <Select
        value={known ? `${known.line} ${known.key}` : ""}
        displayEmpty
        SelectDisplayProps={{ "aria-label": "Value" }}
        onChange={(event) => {
          const [of, value] = event.target.value.split(" ");
          const next = carried.find((c) => c.line === of && c.key === value);
          if (!next) return;
          const operator = (next.operators.includes(condition.operator) ? condition.operator : next.operators[0]) as Operator;
          const words = next.type === known?.type ? condition.words : []; // what a date is compared with is none for a name
          onChange({ ...condition, ref: { line: next.line, value: next.key }, operator, words });
        }}
      >
        {!known && (
          <MenuItem value="" disabled>
            {gone}
          </MenuItem>
        )}
        {carried.map((c) => (
          <MenuItem key={`${c.line} ${c.key}`} value={`${c.line} ${c.key}`}>
            {carriedName(c, carried)}
          </MenuItem>
        ))}
      </Select>
      <Select
        value={condition.operator}
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
        <ComparedWith
          value={known}
          words={condition.words}
          title={`In this sample: ${shown(condition.ref)}`}
          onChange={(next) => onChange({ ...condition, words: next })}
        />
      )}
      {count}
      {take}
    </div>
  );
}
