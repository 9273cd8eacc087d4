import { MenuItem, Select } from "@mui/material";
import type { Database } from "../../api/queries";
import { databaseOf } from "../../screens/timetable/carried";
import { FieldsTable } from "../../screens/timetable/FieldsTable";
import { useLine } from "../../screens/timetable/lineContext";
import type { Cell, Do, Rehearsal } from "../../screens/timetable/model";
import { holders } from "../update/holders";
import { ChooseHeld } from "../update/ChooseHeld";

interface Props {
  line: Do;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  hasSample: boolean;
  onChange: (line: Do) => void;
}

/** What an app offers to be done to an item that a line above holds, and what that takes. */
export function DoPanel({ line, databases, cell, findings, hasSample, onChange }: Props) {
  const { document } = useLine();
  const database = databaseOf(line, document, databases);
  const operations = database?.outside?.operations ?? [];
  const operation = operations.find((o) => o.code === line.operation);
  const lines = holders(document, line.id, databases).filter((l) => databaseOf(l, document, databases)?.outside?.operations.length);
  return (
    <>
      <div className="row below-1">
        <span>With</span>
        <ChooseHeld
          lines={lines}
          of={line.of}
          databases={databases}
          onChange={(of) => onChange({ ...line, of, operation: "", fillings: [] })}
        />
        {database && (
          <Select
            value={operation ? operation.code : ""}
            displayEmpty
            className="min-200"
            SelectDisplayProps={{ "aria-label": "What to do" }}
            onChange={(event) => onChange({ ...line, operation: event.target.value, fillings: [] })}
          >
            <MenuItem value="" disabled>
              Choose what to do
            </MenuItem>
            {operations.map((o) => (
              <MenuItem key={o.code} value={o.code}>
                {o.words}
              </MenuItem>
            ))}
          </Select>
        )}
      </div>
      {cell?.state === "found_none" && <p>{cell.note}</p>}
      {database && operation && (
        <FieldsTable
          line={line}
          database={{ ...database, name: operation.words, fields: operation.inputs }}
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
