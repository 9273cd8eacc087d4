import { MenuItem, Select } from "@mui/material";
import { useTypeOf, type Database } from "../../api/queries";
import { DatabaseSelect } from "../../screens/timetable/DatabaseSelect";
import type { Cell, ListValues, Rehearsal } from "../../screens/timetable/model";

interface Props {
  line: ListValues;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: ListValues) => void;
}

/** What is listed: the options of a field, or the places beside one of an app. */
export function ListPanel({ line, databases, cell, findings, onChange }: Props) {
  const typeOf = useTypeOf();
  const database = databases.find((d) => d.id === line.database);
  const fields = database?.fields.filter((f) => typeOf(f.type)?.has_choices || typeOf(f.type)?.offered.length) ?? [];
  const wrong = findings.find((f) => f.key === "field")?.sentence;
  return (
    <>
      <div className="row below-1">
        <DatabaseSelect
          words="List from"
          label="Database to list from"
          value={line.database}
          databases={databases}
          onChange={(d) => onChange({ ...line, database: d.id, field: null })}
        />
      </div>
      {database && (
        <div className="cond labelled">
          <span>What is listed</span>
          <Select
            value={line.field ?? (database.outside ? "places" : "")}
            displayEmpty
            SelectDisplayProps={{ "aria-label": "What is listed" }}
            onChange={(event) => onChange({ ...line, field: event.target.value === "places" ? null : event.target.value })}
          >
            {database.outside ? (
              <MenuItem value="places">
                {database.outside.places_word} of {database.outside.app_name}
              </MenuItem>
            ) : (
              <MenuItem value="" disabled>
                Choose a field
              </MenuItem>
            )}
            {fields.map((f) => (
              <MenuItem key={f.id} value={f.id}>
                options of {f.name}
              </MenuItem>
            ))}
          </Select>
          <span />
        </div>
      )}
      {wrong && database && <p className="bad">! {wrong}</p>}
      {cell && cell.note && !wrong && (
        <p className={cell.state === "put_right" ? "bad" : undefined}>{cell.state === "waiting" ? "Loading …" : cell.note}</p>
      )}
      <p className="quiet">Lines below can use the names as labels, or repeat for each.</p>
    </>
  );
}
