import { MenuItem, Select } from "@mui/material";
import type { Schemas } from "../api/client";
import type { Field } from "../api/queries";
import { FilterValue } from "./FilterValue";

type Filter = Schemas["FilterBody"];
type Test = Schemas["TestBody"];
type Comparing = Record<string, Schemas["ComparingOut"][]>;

interface Props {
  name: string;
  /** What is said where there are no conditions. */
  all: string;
  fields: Field[];
  comparing: Comparing;
  filter: Filter;
  onChange: (filter: Filter) => void;
}

const MODES = { all: "all of these hold", any: "any of these holds", none: "none of these holds" } as const;

/** Conditions as rows: which items of a side are mirrored, which records a view shows. */
export function FilterEditor({ name, all, fields, comparing, filter, onChange }: Props) {
  const tests = filter.tests ?? [];
  const first = fields.find((f) => (comparing[f.id] ?? []).length > 0);
  const add = () => {
    const operator = first && comparing[first.id]?.[0]?.operator;
    if (first && operator) onChange({ ...filter, tests: [...tests, { field: first.id, operator, value: "" }] });
  };
  return (
    <div className="filtered">
      <div className="row wrapped">
        <b>{name}:</b>
        {tests.length === 0 ? (
          <span className="quiet">{all}</span>
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
          fields={fields}
          comparing={comparing}
          onChange={(next) => onChange({ ...filter, tests: tests.map((one, at) => (at === n ? next : one)) })}
          onRemove={() => onChange({ ...filter, tests: tests.filter((_, at) => at !== n) })}
        />
      ))}
    </div>
  );
}

interface OneProps {
  test: Test;
  fields: Field[];
  comparing: Comparing;
  onChange: (test: Test) => void;
  onRemove: () => void;
}

function One({ test, fields, comparing, onChange, onRemove }: OneProps) {
  const field = fields.find((f) => f.id === test.field);
  const known = comparing[test.field] ?? [];
  const chosen = known.find((c) => c.operator === test.operator);
  return (
    <div className="row wrapped">
      <Select
        value={field ? test.field : ""}
        SelectDisplayProps={{ "aria-label": "Field of the condition" }}
        onChange={(event) => {
          const operator = comparing[event.target.value]?.[0]?.operator ?? test.operator;
          onChange({ field: event.target.value, operator, value: "" });
        }}
      >
        {fields
          .filter((f) => (comparing[f.id] ?? []).length > 0)
          .map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}
            </MenuItem>
          ))}
      </Select>
      <Select
        value={chosen ? test.operator : ""}
        SelectDisplayProps={{ "aria-label": "Comparison of the condition" }}
        onChange={(event) => onChange({ ...test, operator: event.target.value as Test["operator"] })}
      >
        {known.map((c) => (
          <MenuItem key={c.operator} value={c.operator}>
            {c.words}
          </MenuItem>
        ))}
      </Select>
      {(chosen?.needs_value ?? true) && (
        <FilterValue
          key={`${test.field} ${test.operator}`}
          field={field}
          examples={chosen?.examples ?? []}
          value={test.value ?? ""}
          onChange={(value) => onChange({ ...test, value })}
        />
      )}
      <button className="link" aria-label="Remove condition" onClick={onRemove}>
        ×
      </button>
    </div>
  );
}
