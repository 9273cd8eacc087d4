import { MenuItem, Select } from "@mui/material";
import { useCosts, type WorkflowDetail } from "../../api/queries";
import type { When } from "../../screens/timetable/model";

interface Props {
  line: When;
  workflow: WorkflowDetail;
  onChange: (line: When) => void;
}

const DAY = 86_400;
const PAUSES: Record<number, string> = {
  20: "20 seconds",
  60: "minute",
  300: "5 minutes",
  900: "15 minutes",
  3_600: "hour",
};

/** How often the source is checked, what that costs and promises, and how late changes were read lately. */
export function Often({ line, workflow, onChange }: Props) {
  const pushed = workflow.subscription?.pushed;
  const every = Math.max(line.every, (pushed && workflow.subscription?.every) || 0);
  const calls = Math.round(DAY / every).toLocaleString("en-GB");
  const limit = useCosts(line.connection).data?.limits.find((one) => one.window >= DAY);
  const late = workflow.subscription?.delay;
  return (
    <div className="cond labelled">
      <span>Checked every</span>
      <Select
        value={line.every}
        SelectDisplayProps={{ "aria-label": "Checked every" }}
        onChange={(event) => onChange({ ...line, every: Number(event.target.value) })}
      >
        {Object.entries(PAUSES).map(([seconds, words]) => (
          <MenuItem key={seconds} value={Number(seconds)}>
            {words}
          </MenuItem>
        ))}
        {!(line.every in PAUSES) && <MenuItem value={line.every}>{line.every} seconds</MenuItem>}
      </Select>
      <span className="quiet">
        {pushed ? "beside what the app notifies of; " : ""}about {calls} calls a day
        {limit && `; ${limit.most.toLocaleString("en-GB")} allowed in ${Math.round(limit.window / DAY)} days`}
        {late != null && `; lately ${late < 1 ? "less than a second" : `${Math.round(late)} s`} late`}
      </span>
    </div>
  );
}
