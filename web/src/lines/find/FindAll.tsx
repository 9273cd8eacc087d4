import { MenuItem, Select } from "@mui/material";
import { useTypeOf, type Database, type FieldType } from "../../api/queries";
import { FIGURE_WORDS } from "../../screens/timetable/lineWords";
import { newId, type Figure, type Find, type Rehearsal } from "../../screens/timetable/model";

interface Props {
  line: Find;
  database: Database;
  findings: Rehearsal["findings"];
  onChange: (line: Find) => void;
}

const FITS = (kind: Figure["kind"], type: FieldType | undefined) =>
  kind === "sum" || kind === "average" ? type?.has_sum : kind === "first" || kind === "last" ? true : type?.has_order;

/** What is made of all the records that were found: their order, figures, and a text that lists them. */
export function FindAll({ line, database, findings, onChange }: Props) {
  const typeOf = useTypeOf();
  const ordered = [...database.fields, ...database.own_data].filter((f) => typeOf(f.type)?.is_sorted);
  const listed = database.fields.filter((f) => !typeOf(f.type)?.is_long);
  const set = (at: number, next: Figure | null) =>
    onChange({ ...line, figures: line.figures.flatMap((f, n) => (n === at ? (next ? [next] : []) : [f])) });
  const first = database.fields.find((f) => typeOf(f.type)?.has_sum) ?? database.fields[0];
  const add = () =>
    first &&
    onChange({
      ...line,
      figures: [...line.figures, { key: newId(), kind: typeOf(first.type)?.has_sum ? "sum" : "first", field: first.id }],
    });
  return (
    <div className="flush around-1">
      <div className="row wrapped">
        <span>Sort by</span>
        <Select
          value={line.order === null ? "" : String(line.order)}
          displayEmpty
          SelectDisplayProps={{ "aria-label": "Sort by" }}
          onChange={(event) => onChange({ ...line, order: event.target.value || null })}
        >
          <MenuItem value="">date created</MenuItem>
          {ordered.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}
            </MenuItem>
          ))}
        </Select>
        {line.order !== null && (
          <Select
            value={line.descending ? "down" : "up"}
            SelectDisplayProps={{ "aria-label": "Sort order" }}
            onChange={(event) => onChange({ ...line, descending: event.target.value === "down" })}
          >
            <MenuItem value="up">Smallest or earliest first</MenuItem>
            <MenuItem value="down">Largest or latest first</MenuItem>
          </Select>
        )}
        <span>; fields listed in the text</span>
        <Select
          multiple
          displayEmpty
          value={line.listed.map(String)}
          className="max-260"
          SelectDisplayProps={{ "aria-label": "Fields listed in the text" }}
          renderValue={(ids) =>
            database.fields
              .filter((f) => ids.includes(f.id))
              .map((f) => f.name)
              .join(", ") || database.fields[0]?.name
          }
          onChange={(event) => onChange({ ...line, listed: [event.target.value].flat() })}
        >
          {listed.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}
            </MenuItem>
          ))}
        </Select>
      </div>
      {line.figures.map((figure, at) => (
        <div className="row above-1" key={figure.key}>
          <Select
            value={figure.kind}
            className="w-112"
            SelectDisplayProps={{ "aria-label": "Kind of figure" }}
            onChange={(event) => set(at, { ...figure, kind: event.target.value as Figure["kind"] })}
          >
            {Object.entries(FIGURE_WORDS).map(([kind, words]) => (
              <MenuItem key={kind} value={kind}>
                {words}
              </MenuItem>
            ))}
          </Select>
          <Select
            value={figure.field === null ? "" : String(figure.field)}
            displayEmpty
            className="min-168"
            SelectDisplayProps={{ "aria-label": "Field of the figure" }}
            onChange={(event) => set(at, { ...figure, field: event.target.value })}
          >
            {database.fields
              .filter((f) => FITS(figure.kind, typeOf(f.type)) || f.id === figure.field)
              .map((f) => (
                <MenuItem key={f.id} value={f.id}>
                  {f.name}
                </MenuItem>
              ))}
          </Select>
          <button className="link" aria-label="Remove figure" onClick={() => set(at, null)}>
            ×
          </button>
          <span className="bad">{findings.find((f) => f.key === figure.key)?.sentence}</span>
        </div>
      ))}
      <div className="flush around-1">
        <button className="link" onClick={add}>
          + Add figure
        </button>
        <span className="quiet"> over all matches. The number of matches is always available.</span>
      </div>
    </div>
  );
}
