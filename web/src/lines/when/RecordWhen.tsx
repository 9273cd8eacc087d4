import { MenuItem, Select } from "@mui/material";
import type { Database, WorkflowDetail } from "../../api/queries";
import { DatabaseSelect } from "../../screens/timetable/DatabaseSelect";
import type { RecordEvent } from "../../screens/timetable/model";

interface Props {
  own: RecordEvent;
  databases: Database[];
  listens: WorkflowDetail["listens"];
  onChange: (own: RecordEvent) => void;
}

/** Something that happens to a record: of which database, to which fields, and what is waited for. */
export function RecordWhen({ own, databases, listens, onChange }: Props) {
  const database = databases.find((d) => d.id === own.database);
  const fields = database?.fields ?? [];
  const presses = own.event === "button" || own.event === "database_button";
  const reached = fields.find((f) => f.id === own.field);
  return (
    <>
      <div className="cond labelled">
        <DatabaseSelect
          words="Database"
          label="Database that is listened to"
          value={own.database}
          databases={databases}
          onChange={(d) => onChange({ ...own, database: d.id, fields: [], field: null, filled: [] })}
        />
      </div>
      {database && own.event === "changed" && (
        <Fields
          words="Counts when"
          none="any field changes"
          label="Fields of which a change counts"
          database={database}
          chosen={own.fields}
          onChange={(ids) => onChange({ ...own, fields: ids })}
        />
      )}
      {database && own.event === "reached" && (
        <div className="cond labelled becomes">
          <span>Field</span>
          <Select
            value={reached ? String(reached.id) : ""}
            displayEmpty

            SelectDisplayProps={{ "aria-label": "Field that reaches a value" }}
            onChange={(event) => onChange({ ...own, field: event.target.value, was: "", becomes: "" })}
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
          <OneValue
            label="The value that it becomes"
            none="anything"
            choices={reached?.choices.map((c) => c.name)}
            value={own.becomes}
            onChange={(becomes) => onChange({ ...own, becomes })}
          />
          <span>from</span>
          <OneValue
            label="The value that it had"
            none="anything"
            choices={reached?.choices.map((c) => c.name)}
            value={own.was}
            onChange={(was) => onChange({ ...own, was })}
          />
        </div>
      )}
      {presses && (
        <div className="cond labelled">
          <label htmlFor="button-words">On the button</label>
          <input
            id="button-words"
            className="find flush"

            placeholder="Send the quote"
            value={own.button}
            onChange={(event) => onChange({ ...own, button: event.target.value.slice(0, 40) })}
          />
        </div>
      )}
      {database && !presses && (
        <>
          <Fields
            words="Waits until"
            none="nothing: it starts immediately"
            label="Fields that must be filled"
            database={database}
            chosen={own.filled}
            onChange={(ids) => onChange({ ...own, filled: ids })}
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

                value={own.quiet}
                onChange={(event) => onChange({ ...own, quiet: Math.min(3600, Math.max(0, Math.round(Number(event.target.value) || 0))) })}
              />{" "}
              seconds <span className="quiet">so that records still being edited are not processed</span>
            </span>
          </div>
        </>
      )}
      <p className="quiet">A workflow is never started by its own changes, directly or through other workflows.</p>
      {!!listens?.itself && (
        <div className="note">
          {listens.itself === 1
            ? "1 change by this workflow was ignored to prevent a loop."
            : `${listens.itself} changes by this workflow were ignored to prevent a loop.`}
        </div>
      )}
    </>
  );
}

interface FieldsProps {
  words: string;
  none: string;
  label: string;
  after?: string;
  database: Database;
  chosen: string[];
  onChange: (ids: string[]) => void;
}

function Fields({ words, none, label, after, database, chosen, onChange }: FieldsProps) {
  return (
    <div className="cond labelled">
      <span>{words}</span>
      <Select
        multiple
        displayEmpty
        value={chosen.map(String)}

        SelectDisplayProps={{ "aria-label": label }}
        renderValue={(ids) =>
          database.fields
            .filter((f) => ids.includes(f.id))
            .map((f) => f.name)
            .join(", ") || none
        }
        onChange={(event) => onChange([event.target.value].flat())}
      >
        {database.fields.map((f) => (
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
    <Select
      value={value}
      displayEmpty

      SelectDisplayProps={{ "aria-label": label }}
      onChange={(event) => onChange(event.target.value)}
    >
      <MenuItem value="">{none}</MenuItem>
      {choices.map((c) => (
        <MenuItem key={c} value={c}>
          {c}
        </MenuItem>
      ))}
    </Select>
  );
}
