import type { Database } from "../../api/queries";
import { FieldsTable } from "../../screens/timetable/FieldsTable";
import { useLine } from "../../screens/timetable/lineContext";
import { databaseOf } from "../../screens/timetable/carried";
import { ChooseHeld } from "./ChooseHeld";
import { holders } from "./holders";
import { undoneInApp } from "../databaseWords";
import type { Cell, Delete, Rehearsal, Update } from "../../screens/timetable/model";

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
        <ChooseHeld lines={lines} of={line.of} databases={databases} onChange={(of) => onChange({ ...line, of })} />
        <span className="quiet">
          {line.verb === "update"
            ? "Fields left empty keep their values"
            : database?.outside
              ? undoneInApp(database, "delete")
              : "Moves to the trash and can be restored"}
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
