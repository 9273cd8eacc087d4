import { MenuItem, Select } from "@mui/material";
import { FilledWith } from "../../screens/timetable/FilledWith";
import type { Cell, Stop } from "../../screens/timetable/model";

interface Props {
  line: Stop;
  cell: Cell | undefined;
  onChange: (line: Stop) => void;
}

/** How a run ends here, and why. */
export function StopPanel({ line, cell, onChange }: Props) {
  return (
    <>
      <div className="row below-1">
        <span>The run ends here as</span>
        <Select
          value={line.how}
          SelectDisplayProps={{ "aria-label": "How the run ends" }}
          onChange={(event) => onChange({ ...line, how: event.target.value as Stop["how"] })}
        >
          <MenuItem value="passed_by">Skipped: no problem</MenuItem>
          <MenuItem value="done">Done</MenuItem>
          <MenuItem value="failed">Failed: needs attention</MenuItem>
        </Select>
      </div>
      <div className="row">
        <span>Reason</span>
        <div className="grow">
          <FilledWith label="Reason" parts={line.saying} onChange={(saying) => onChange({ ...line, saying })} />
        </div>
      </div>
      {cell && <p className="quiet">{cell.note}</p>}
    </>
  );
}
