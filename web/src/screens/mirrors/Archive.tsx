import { MenuItem, Select } from "@mui/material";
import { useState } from "react";
import type { SetUp } from "./queries";
import type { Draft } from "./useSetUp";

interface ArchiveProps {
  side: SetUp["left"];
  of: "left" | "right";
  draft: Draft;
  onChange: (part: Partial<Draft>) => void;
}

/** What archives an item of a side: a field, and the value that says so. */
export function Archive({ side, of, draft, onChange }: ArchiveProps) {
  const told = draft.archives?.[of];
  const fields = side.fields.filter((f) => f.can_write);
  const field = fields.find((f) => f.id === told?.field);
  const set = (next: { field: string; value: string }) => onChange({ archives: { ...draft.archives, [of]: next } });
  const label = `Archived in ${side.name} means`;
  return (
    <div className="cond labelled rule">
      <span>{label}</span>
      <span className="row">
        <Select
          value={field?.id ?? ""}
          displayEmpty
          className="min-200"
          SelectDisplayProps={{ "aria-label": `${label}: field` }}
          onChange={(event) => set({ field: event.target.value, value: "" })}
        >
          <MenuItem value="" disabled>
            Field
          </MenuItem>
          {fields.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}
            </MenuItem>
          ))}
        </Select>
        <span>is</span>
        <ArchiveValue key={field?.id} label={`${label}: value`} field={field} value={told?.value ?? ""} onChange={set} />
      </span>
    </div>
  );
}

interface ArchiveValueProps {
  label: string;
  field: SetUp["left"]["fields"][number] | undefined;
  value: string;
  onChange: (next: { field: string; value: string }) => void;
}

/** One of a field's choices; where it has none, the value is typed. */
function ArchiveValue({ label, field, value, onChange }: ArchiveValueProps) {
  const [typed, setTyped] = useState(value);
  if (!field) return <span className="quiet">…</span>;
  if (field.choices.length === 0) {
    return (
      <input
        className="find max-200"
        aria-label={label}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => typed !== value && onChange({ field: field.id, value: typed })}
      />
    );
  }
  return (
    <Select
      value={value}
      displayEmpty
      SelectDisplayProps={{ "aria-label": label }}
      onChange={(event) => onChange({ field: field.id, value: event.target.value })}
    >
      <MenuItem value="" disabled>
        Choose
      </MenuItem>
      {field.choices.map((choice) => (
        <MenuItem key={choice.id} value={choice.name}>
          {choice.name}
        </MenuItem>
      ))}
    </Select>
  );
}
