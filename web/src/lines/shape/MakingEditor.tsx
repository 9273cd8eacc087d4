import { MenuItem, Select } from "@mui/material";
import { useTypeOf, type FieldType } from "../../api/queries";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { useLine } from "../../screens/timetable/lineContext";
import { carriedName } from "../../screens/timetable/carried";
import type { Making, Ref } from "../../screens/timetable/model";

interface Props {
  name: string;
  made: Making;
  onChange: (made: Making) => void;
}

type Of<K extends Making["kind"]> = Extract<Making, { kind: K }>;

/** How a shaped value is made, edited as words. */
export function MakingEditor({ name, made, onChange }: Props) {
  switch (made.kind) {
    case "filled":
      return <FilledWith label={`${name} is filled with`} parts={made.filling} onChange={(filling) => onChange({ ...made, filling })} />;
    case "date_part":
      return (
        <div className="row">
          <ValueSelect label="Date" value={made.of} fits={(type) => type.tells_day} onChange={(of) => onChange({ ...made, of })} />
          as
          <PatternInput made={made} onChange={onChange} />
        </div>
      );
    case "piece":
      return <PieceEditor made={made} onChange={onChange} />;
    case "look_up":
      return <Table made={made} onChange={onChange} />;
    case "join":
      return (
        <div className="row wrapped">
          <Several value={made.of} onChange={(of) => onChange({ ...made, of })} />
          with
          <Small label="Separator" value={made.delimiter} onChange={(delimiter) => onChange({ ...made, delimiter })} />
        </div>
      );
    case "default":
      return (
        <div className="row wrapped">
          <Several value={made.of} between="else" onChange={(of) => onChange({ ...made, of })} />
          else
          <Small label="Otherwise" wide value={made.otherwise} onChange={(otherwise) => onChange({ ...made, otherwise })} />
        </div>
      );
    case "cite":
      return (
        <div className="row wrapped">
          <ValueSelect label="Authors" value={made.authors} onChange={(authors) => onChange({ ...made, authors })} />
          <ValueSelect label="Year" value={made.year} onChange={(year) => onChange({ ...made, year })} />
          <ValueSelect label="Title (optional)" value={made.title} none="No title" onChange={(title) => onChange({ ...made, title })} />
        </div>
      );
  }
}

const PATTERNS = [
  ["", "the date itself"],
  ["HH:mm", "17:02"],
  ["h:mm a", "5:02 pm"],
  ["d MMMM y", "23 November 2026"],
  ["EEEE", "Monday"],
  ["MMMM y", "November 2026"],
  ["y", "2026"],
] as const;

function PatternInput({ made, onChange }: { made: Of<"date_part">; onChange: (made: Making) => void }) {
  return (
    <>
      <input
        className="find flush w-130"

        list="date-patterns"
        aria-label="Pattern"
        placeholder="the date itself"
        title="A pattern of Unicode's CLDR: d day, MMM month, y year, HH hour, mm minute"
        value={made.pattern}
        onChange={(event) => onChange({ ...made, pattern: event.target.value })}
      />
      <datalist id="date-patterns">
        {PATTERNS.map(([pattern, shows]) => (
          <option key={pattern} value={pattern}>
            {shows}
          </option>
        ))}
      </datalist>
    </>
  );
}

function PieceEditor({ made, onChange }: { made: Of<"piece">; onChange: (made: Making) => void }) {
  return (
    <div className="row wrapped">
      <Select
        value={String(made.number)}
        SelectDisplayProps={{ "aria-label": "Part number" }}
        onChange={(event) => onChange({ ...made, number: Number(event.target.value) })}
      >
        {[1, 2, 3, 4, 5, -2, -1].map((n) => (
          <MenuItem key={n} value={String(n)}>
            {n === -1 ? "last part" : n === -2 ? "second to last part" : `part ${n}`}
          </MenuItem>
        ))}
      </Select>
      of
      <ValueSelect label="Text" value={made.of} onChange={(of) => onChange({ ...made, of })} />
      between
      <Small label="Separator" value={made.delimiter} onChange={(delimiter) => onChange({ ...made, delimiter })} />
    </div>
  );
}

function Table({ made, onChange }: { made: Of<"look_up">; onChange: (made: Making) => void }) {
  const set = (at: number, key: "key" | "value", text: string) =>
    onChange({ ...made, rows: made.rows.map((r, n) => (n === at ? { ...r, [key]: text } : r)) });
  return (
    <>
      <ValueSelect label="Value to look up" value={made.of} onChange={(of) => onChange({ ...made, of })} />
      {made.rows.map((row, at) => (
        <div className="row" key={at}>
          <Small label={`Row ${at + 1}, value`} wide value={row.key} onChange={(text) => set(at, "key", text)} />
          gives
          <Small label={`Row ${at + 1}, result`} wide value={row.value} onChange={(text) => set(at, "value", text)} />
          <button
            className="link"
            aria-label={`Remove row ${at + 1}`}
            onClick={() => onChange({ ...made, rows: made.rows.filter((_, n) => n !== at) })}
          >
            ×
          </button>
        </div>
      ))}
      <div className="row">
        <button className="link" onClick={() => onChange({ ...made, rows: [...made.rows, { key: "", value: "" }] })}>
          + row
        </button>
        otherwise
        <Small label="Otherwise" wide value={made.otherwise} onChange={(otherwise) => onChange({ ...made, otherwise })} />
      </div>
    </>
  );
}

function Small({ label, value, wide, onChange }: { label: string; value: string; wide?: boolean; onChange: (text: string) => void }) {
  return (
    <input
      className={`find flush ${wide ? "w-84" : "w-48"}`}
      aria-label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}

interface ValueSelectProps {
  label: string;
  value: Ref | null | undefined;
  /** Which values are offered, by their types. */
  fits?: (type: FieldType) => boolean;
  none?: string;
  onChange: (ref: Ref | null) => void;
}

/** One of the carried values. */
function ValueSelect({ label, value, fits, none, onChange }: ValueSelectProps) {
  const { carried, gone, shown } = useLine();
  const typeOf = useTypeOf();
  const known = value && carried.find((c) => c.line === value.line && c.key === value.value);
  const offered = carried.filter((c) => {
    const type = typeOf(c.type);
    return !fits || c === known || (type && fits(type));
  });
  return (
    <Select
      value={known ? `${known.line} ${known.key}` : ""}
      displayEmpty
      className="max-168"
      SelectDisplayProps={{ "aria-label": label, title: value ? shown(value).slice(0, 200) : undefined }}
      onChange={(event) => {
        const next = carried.find((c) => `${c.line} ${c.key}` === event.target.value);
        onChange(next ? { line: next.line, value: next.key } : null);
      }}
    >
      <MenuItem value="" disabled={none === undefined}>
        {value && !known ? gone : (none ?? `Choose: ${label.toLowerCase()}`)}
      </MenuItem>
      {offered.map((c) => (
        <MenuItem key={`${c.line} ${c.key}`} value={`${c.line} ${c.key}`}>
          {carriedName(c, carried)}
        </MenuItem>
      ))}
    </Select>
  );
}

/** Several values in order. */
function Several({ value, between, onChange }: { value: Ref[]; between?: string; onChange: (refs: Ref[]) => void }) {
  return (
    <>
      {value.map((ref, at) => (
        <ValueSelect
          key={at}
          label={`Value ${at + 1}`}
          value={ref}
          none="remove"
          onChange={(next) => onChange(next ? value.map((v, n) => (n === at ? next : v)) : value.filter((_, n) => n !== at))}
        />
      ))}
      {between && value.length > 0 && <span>{between}</span>}
      <ValueSelect label="Another value" value={null} onChange={(next) => next && onChange([...value, next])} />
    </>
  );
}
