import { MenuItem, Select } from "@mui/material";
import { useTypeOf } from "../../api/queries";
import type { Watch } from "../../screens/timetable/model";
import type { WatchedField } from "./watching";

interface Props {
  watch: Watch;
  fields: WatchedField[];
  onChange: (watch: Partial<Watch>) => void;
}

/** What must have changed: these fields, or one of them that becomes a value. */
export function Watched({ event, watch, fields, onChange }: Props & { event: string }) {
  const typeOf = useTypeOf();
  if (event === "changed")
    return (
      <Fields
        words="Changes that count"
        none="any field"
        label="Fields to watch"
        fields={fields}
        chosen={watch.fields}
        onChange={(ids) => onChange({ fields: ids })}
      />
    );
  if (event !== "reached") return null;
  const reached = fields.find((f) => f.id === watch.field);
  const choices = reached?.choices.length ? reached.choices : typeOf(reached?.type)?.offered;
  return (
    <div className="cond labelled becomes">
      <span>Field</span>
      <Select
        value={reached?.id ?? ""}
        displayEmpty
        SelectDisplayProps={{ "aria-label": "Field to watch" }}
        onChange={(event) => onChange({ field: event.target.value, was: "", becomes: "" })}
      >
        <MenuItem value="" disabled>
          Choose a field
        </MenuItem>
        {fields.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {f.name}
          </MenuItem>
        ))}
      </Select>
      <span>becomes</span>
      <OneValue label="New value" none="anything" choices={choices} value={watch.becomes} onChange={(becomes) => onChange({ becomes })} />
      <span>from</span>
      <OneValue label="Old value" none="anything" choices={choices} value={watch.was} onChange={(was) => onChange({ was })} />
    </div>
  );
}

/** What is waited for before a run starts; `words`: what is still being edited. */
export function Waited({ watch, fields, words, onChange }: Props & { words: string }) {
  return (
    <>
      <Fields
        words="Waits until"
        none="nothing: starts immediately"
        label="Fields that must be filled"
        fields={fields}
        chosen={watch.filled}
        onChange={(ids) => onChange({ filled: ids })}
        after="filled"
      />
      <div className="cond labelled">
        <label htmlFor="quiet">And unchanged for</label>
        <span>
          <input
            id="quiet"
            type="number"
            min={0}
            max={3600}
            className="find flush w-84"
            value={watch.quiet}
            onChange={(event) => onChange({ quiet: Math.min(3600, Math.max(0, Math.round(Number(event.target.value) || 0))) })}
          />{" "}
          seconds <span className="quiet">so that {words} still being edited are not processed</span>
        </span>
      </div>
    </>
  );
}

interface FieldsProps {
  words: string;
  none: string;
  label: string;
  after?: string;
  fields: WatchedField[];
  chosen: string[];
  onChange: (ids: string[]) => void;
}

function Fields({ words, none, label, after, fields, chosen, onChange }: FieldsProps) {
  return (
    <div className="cond labelled">
      <span>{words}</span>
      <Select
        multiple
        displayEmpty
        value={chosen.map(String)}
        SelectDisplayProps={{ "aria-label": label }}
        renderValue={(ids) =>
          fields
            .filter((f) => ids.includes(f.id))
            .map((f) => f.name)
            .join(", ") || none
        }
        onChange={(event) => onChange([event.target.value].flat())}
      >
        {fields.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {chosen.includes(f.id) ? "✓ " : ""}
            {f.name}
          </MenuItem>
        ))}
      </Select>
      <span>{chosen.length > 0 && after}</span>
    </div>
  );
}

function OneValue({
  label,
  none,
  choices,
  value,
  onChange,
}: {
  label: string;
  none: string;
  choices: string[] | undefined;
  value: string;
  onChange: (value: string) => void;
}) {
  if (!choices?.length)
    return (
      <input
        className="find flush"
        aria-label={label}
        placeholder={none}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    );
  return (
    <Select value={value} displayEmpty SelectDisplayProps={{ "aria-label": label }} onChange={(event) => onChange(event.target.value)}>
      <MenuItem value="">{none}</MenuItem>
      {choices.map((c) => (
        <MenuItem key={c} value={c}>
          {c}
        </MenuItem>
      ))}
    </Select>
  );
}
