import { MenuItem, Select } from "@mui/material";
import { useLine } from "../../screens/timetable/lineContext";
import type { CarriedList, SendMail } from "../../screens/timetable/model";
import { above } from "../../screens/timetable/nesting";

interface Props {
  line: SendMail;
  list: CarriedList | undefined;
  problem: string | undefined;
  onChange: (line: SendMail) => void;
}

/** The list that is laid out as a table, its columns, and whether each recipient gets their own rows only. */
export function MailRows({ line, list, problem, onChange }: Props) {
  const { document, rehearsal } = useLine();
  const usable = new Set(above(document, line.id).map((l) => l.id));
  const lists = (rehearsal?.lists ?? []).filter((l) => usable.has(l.line));
  const value = list ? `${list.line} ${list.key}` : "";
  return (
    <div className="mailrow">
      <span className="quiet">Table</span>
      <div>
        <div className="row wrapped">
          <Select
            value={value}
            displayEmpty
            className="min-168"
            SelectDisplayProps={{ "aria-label": "List to show as a table" }}
            onChange={(event) => {
              const found = lists.find((l) => `${l.line} ${l.key}` === event.target.value);
              onChange({ ...line, rows: found ? { line: found.line, value: found.key } : null, columns: [], split: "" });
            }}
          >
            <MenuItem value="">{lists.length > 0 ? "No table" : "no line above has a list"}</MenuItem>
            {lists.map((l) => (
              <MenuItem key={`${l.line} ${l.key}`} value={`${l.line} ${l.key}`}>
                {l.name.join(" › ")}, line {document.lines.findIndex((x) => x.id === l.line) + 1}
              </MenuItem>
            ))}
          </Select>
          {list && (
            <Select
              multiple
              displayEmpty
              value={line.columns}
              className="max-240"
              SelectDisplayProps={{ "aria-label": "Table columns" }}
              renderValue={(keys) =>
                list.fields
                  .filter((f) => keys.includes(f.key))
                  .map((f) => f.name)
                  .join(", ") || "First four columns"
              }
              onChange={(event) => {
                const keys = [event.target.value].flat();
                onChange({ ...line, columns: list.fields.map((f) => f.key).filter((k) => keys.includes(k)) });
              }}
            >
              {list.fields.map((f) => (
                <MenuItem key={f.key} value={f.key}>
                  {line.columns.includes(f.key) ? "✓ " : ""}
                  {f.name}
                </MenuItem>
              ))}
            </Select>
          )}
        </div>
        {list && (
          <div className="row above-1">
            <Select
              value={line.split}
              displayEmpty
              SelectDisplayProps={{ "aria-label": "Recipients of rows" }}
              onChange={(event) => onChange({ ...line, split: event.target.value })}
            >
              <MenuItem value="">Everyone gets all rows</MenuItem>
              {list.fields.map((f) => (
                <MenuItem key={f.key} value={f.key}>
                  Each address in {f.name} gets its own rows
                </MenuItem>
              ))}
            </Select>
          </div>
        )}
        {problem && <span className="bad">! {problem}</span>}
      </div>
    </div>
  );
}
