import { Checkbox, MenuItem, Select } from "@mui/material";
import { FilledWith } from "../../screens/timetable/FilledWith";
import type { Cell, Wait } from "../../screens/timetable/model";

const KINDS: Record<Wait["kind"], string> = { span: "for a duration", moment: "until a time", working: "until working hours" };
const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

interface Props {
  line: Wait;
  cell: Cell | undefined;
  onChange: (line: Wait) => void;
}

/** How long a run rests, and until when that would be for one that came here now. */
export function WaitPanel({ line, cell, onChange }: Props) {
  return (
    <>
      <div className="row below-1 wraps">
        <span>Wait</span>
        <Select
          value={line.kind}
          SelectDisplayProps={{ "aria-label": "Wait type" }}
          onChange={(event) => onChange({ ...line, kind: event.target.value as Wait["kind"] })}
        >
          {Object.entries(KINDS).map(([kind, words]) => (
            <MenuItem key={kind} value={kind}>
              {words}
            </MenuItem>
          ))}
        </Select>
        {line.kind === "span" && <Span line={line} onChange={onChange} />}
        {line.kind === "working" && <Hours line={line} onChange={onChange} />}
      </div>
      {line.kind === "moment" && (
        <div className="row">
          <span>until</span>
          <div className="grow">
            <FilledWith label="Until" parts={line.filling} onChange={(filling) => onChange({ ...line, filling })} />
          </div>
        </div>
      )}
      {cell && cell.state !== "not_reached" && (
        <p className={cell.state === "put_right" ? "bad" : undefined} role="status">
          {cell.state === "put_right"
            ? `! ${cell.note}`
            : cell.state === "waits"
              ? `A run reaching this line would wait ${cell.note.replace(": ", " ")}.`
              : cell.note}
        </p>
      )}
      <p className="quiet">Values above are read when the wait begins. Lines below look up data when it ends. A try doesn’t wait.</p>
    </>
  );
}

type Part = Omit<Props, "cell">;

function Span({ line, onChange }: Part) {
  return (
    <>
      <input
        className="find w-64 flush"

        type="number"
        min={1}
        aria-label="How many"
        value={line.amount || ""}
        onChange={(event) => onChange({ ...line, amount: Math.trunc(Number(event.target.value)) })}
      />
      <Select
        value={line.unit}
        SelectDisplayProps={{ "aria-label": "Unit" }}
        onChange={(event) => onChange({ ...line, unit: event.target.value as Wait["unit"] })}
      >
        {(["minutes", "hours", "days", "weeks"] as const).map((unit) => (
          <MenuItem key={unit} value={unit}>
            {unit}
          </MenuItem>
        ))}
      </Select>
    </>
  );
}

function Hours({ line, onChange }: Part) {
  return (
    <>
      {DAYS.map((name, at) => (
        <label key={name} className="ticked">
          <Checkbox
            className="tight"
            checked={line.days.includes(at + 1)}
            onChange={(event) =>
              onChange({ ...line, days: event.target.checked ? [...line.days, at + 1].sort() : line.days.filter((d) => d !== at + 1) })
            }
          />
          {name}
        </label>
      ))}
      <Clock label="Work starts at" value={line.begins} onChange={(begins) => onChange({ ...line, begins })} />
      <span>to</span>
      <Clock label="Work ends at" value={line.ends} onChange={(ends) => onChange({ ...line, ends })} />
    </>
  );
}

/** A time of day, of 24 hours in every browser. */
function Clock({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) {
  return (
    <input
      className="find w-64 flush"

      inputMode="numeric"
      placeholder="09:00"
      aria-label={label}
      value={value}
      onChange={(event) => onChange(event.target.value.trim())}
    />
  );
}
