import { MenuItem, Select } from "@mui/material";
import type { Database } from "../../api/queries";
import { databaseOf } from "../../screens/timetable/carried";
import { useLine } from "../../screens/timetable/lineContext";
import type { Line } from "../../screens/timetable/model";
import { recordWord } from "../databaseWords";
import { viewOf } from "..";

interface Props {
  lines: Line[];
  of: string;
  databases: Database[];
  onChange: (of: string) => void;
}

/** The record or item of a line above. */
export function ChooseHeld({ lines, of, databases, onChange }: Props) {
  const { document } = useLine();
  return (
    <Select
      value={lines.some((l) => l.id === of) ? of : ""}
      displayEmpty
      className="min-240"
      SelectDisplayProps={{ "aria-label": "Which record" }}
      onChange={(event) => onChange(event.target.value)}
    >
      <MenuItem value="" disabled>
        {lines.length > 0 ? "Choose a record" : "No line above finds or adds a record"}
      </MenuItem>
      {lines.map((l) => (
        <MenuItem key={l.id} value={l.id}>
          the {recordWord(databaseOf(l, document, databases))} {viewOf(l.verb).holds}
          {!viewOf(l.verb).fixed && ` in line ${document.lines.indexOf(l) + 1}`},{" "}
          {databaseOf(l, document, databases)?.name ?? "No database yet"}
        </MenuItem>
      ))}
    </Select>
  );
}
