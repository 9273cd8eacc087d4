import { MenuItem, Select } from "@mui/material";
import type { Database } from "../../api/queries";
import { FieldsTable } from "../../screens/timetable/FieldsTable";
import { useLine } from "../../screens/timetable/lineContext";
import { above, isWithin } from "../../screens/timetable/nesting";
import { databaseOf } from "../../screens/timetable/carried";
import { viewOf } from "..";
import type { Cell, Delete, Document, Line, Rehearsal, Update } from "../../screens/timetable/model";

/** The lines above whose record can be changed: of a Repeat line, the one that is gone through. */
function holders(document: Document, line: string, databases: Database[]): Line[] {
  return above(document, line).filter((l) =>
    l.verb === "find"
      ? l.several !== "all"
      : l.verb === "repeat"
        ? isWithin(document, line, l.id) && !!databaseOf(l, document, databases)
        : !!viewOf(l.verb).holds,
  );
}

interface Props {
  line: Update | Delete;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  hasSample: boolean;
  onChange: (line: Update | Delete) => void;
}

/** The record that a line updates or deletes: one that a line above is about. */
export function RecordPanel({ line, databases, cell, findings, hasSample, onChange }: Props) {
  const { document } = useLine();
  const lines = holders(document, line.id, databases);
  const database = databaseOf(line, document, databases);
  return (
    <>
      <div className="row below-1">
        <span>{line.verb === "update" ? "Update" : "Delete"}</span>
        <Select
          value={lines.some((l) => l.id === line.of) ? line.of : ""}
          displayEmpty
          className="min-240"
          SelectDisplayProps={{ "aria-label": "Which record" }}
          onChange={(event) => onChange({ ...line, of: event.target.value })}
        >
          <MenuItem value="" disabled>
            {lines.length > 0 ? "Choose which record" : "no line above finds or adds a record"}
          </MenuItem>
          {lines.map((l) => (
            <MenuItem key={l.id} value={l.id}>
              the record {viewOf(l.verb).holds} in line {document.lines.indexOf(l) + 1},{" "}
              {databaseOf(l, document, databases)?.name ?? "no database yet"}
            </MenuItem>
          ))}
        </Select>
        <span className="quiet">
          {line.verb === "update" ? "Fields left empty keep their values" : "Moves to the trash and can be restored"}
        </span>
      </div>
      {cell && (cell.state === "found_none" || line.verb === "delete") && <p>{cell.note}</p>}
      {line.verb === "update" && database && (
        <FieldsTable
          line={line}
          database={database}
          cell={cell}
          findings={findings}
          hasSample={hasSample}
          suggested={[]}
          onChange={onChange}
        />
      )}
    </>
  );
}
