import { MenuItem, Select } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../api/client";

type Filter = Schemas["FilterBody"];
type Test = Schemas["TestBody"];

interface Props {
  name: string;
  side: Schemas["SideFieldsOut"];
  filter: Filter;
  onChange: (filter: Filter) => void;
}

const MODES = { all: "all of these hold", any: "any of these holds", none: "none of these holds" } as const;

/** Which items of a side are mirrored. */
export function FilterEditor({ name, side, filter, onChange }: Props) {
  const tests = filter.tests ?? [];
  const first = side.fields.find((f) => (side.comparing[f.id] ?? []).length > 0);
  const add = () => {
    const operator = first && side.comparing[first.id]?.[0]?.operator;
    if (first && operator) onChange({ ...filter, tests: [...tests, { field: first.id, operator, value: "" }] });
  };
  return (
    <div className="filtered">
      <div className="row wrapped">
        <b>{name}:</b>
        {tests.length === 0 ? (
          <span className="quiet">all items</span>
        ) : (
          <Select
            value={filter.mode ?? "all"}
            SelectDisplayProps={{ "aria-label": `How the filter of ${name} is joined` }}
            onChange={(event) => onChange({ ...filter, mode: event.target.value })}
          >
            {Object.entries(MODES).map(([mode, words]) => (
              <MenuItem key={mode} value={mode}>
                if {words}
              </MenuItem>
            ))}
          </Select>
        )}
        <button className="link" onClick={add}>
          Add condition
        </button>
      </div>
      {tests.map((test, n) => (
        <One
          key={n}
          test={test}
          side={side}
          onChange={(next) => onChange({ ...filter, tests: tests.map((one, at) => (at === n ? next : one)) })}
          onRemove={() => onChange({ ...filter, tests: tests.filter((_, at) => at !== n) })}
        />
      ))}
    </div>
  );
}

interface OneProps {
  test: Test;
  side: Schemas["SideFieldsOut"];
  onChange: (test: Test) => void;
  onRemove: () => void;
}

function One({ test, side, onChange, onRemove }: OneProps) {
  const [value, setValue] = useState(test.value ?? "");
  const comparing = side.comparing[test.field] ?? [];
  const needsValue = comparing.find((c) => c.operator === test.operator)?.needs_value ?? true;
  return (
    <div className="row wrapped">
      <Select
        value={test.field}
        SelectDisplayProps={{ "aria-label": "Field of the condition" }}
        onChange={(event) => {
          const operator = side.comparing[event.target.value]?.[0]?.operator ?? test.operator;
          onChange({ ...test, field: event.target.value, operator });
        }}
      >
        {side.fields.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {f.name}
          </MenuItem>
        ))}
      </Select>
      <Select
        value={test.operator}
        SelectDisplayProps={{ "aria-label": "Comparison of the condition" }}
        onChange={(event) => onChange({ ...test, operator: event.target.value })}
      >
        {comparing.map((c) => (
          <MenuItem key={c.operator} value={c.operator}>
            {c.words}
          </MenuItem>
        ))}
      </Select>
      {needsValue && (
        <input
          className="find max-200"
          aria-label="Value of the condition"
          value={value}
          onChange={(event) => setValue(event.target.value)}
          onBlur={() => value !== test.value && onChange({ ...test, value })}
        />
      )}
      <button className="link" aria-label="Remove condition" onClick={onRemove}>
        ×
      </button>
    </div>
  );
}
