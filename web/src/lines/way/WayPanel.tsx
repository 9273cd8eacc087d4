import { TextField } from "@mui/material";
import type { Cell, Way } from "../../screens/timetable/model";
import { OnlyIfPanel } from "../only_if/OnlyIfPanel";

/** One way: what it is called, and when it is taken. */
export function WayPanel({ line, cell, onChange }: { line: Way; cell: Cell | undefined; onChange: (line: Way) => void }) {
  return (
    <>
      <TextField
        label="Branch name"
        value={line.name}
        className="w-260 below-2"
        onChange={(event) => onChange({ ...line, name: event.target.value.slice(0, 60) })}
      />
      <OnlyIfPanel line={line} cell={cell} onChange={onChange} />
    </>
  );
}
