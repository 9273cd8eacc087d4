import { Navigate, Route, Routes } from "react-router";
import { Frame } from "./frame/Frame";
import { Beside } from "./screens/beside/Beside";
import { Captures } from "./screens/captures/Captures";
import { ConnectionList } from "./screens/connections/ConnectionList";
import { ConnectionScreen } from "./screens/connections/ConnectionScreen";
import { DatabaseList } from "./screens/databases/DatabaseList";
import { DatabaseScreen } from "./screens/databases/DatabaseScreen";
import { NeedsYou } from "./screens/needs/NeedsYou";
import { Planned } from "./screens/Planned";
import { PracticeApps } from "./screens/practice/PracticeApps";
import { RunList } from "./screens/runs/RunList";
import { RunScreen } from "./screens/runs/RunScreen";
import { Timetable } from "./screens/timetable/Timetable";
import { Today } from "./screens/today/Today";
import { Trash } from "./screens/trash/Trash";
import { WorkflowList } from "./screens/workflows/WorkflowList";

/** All screens but quick input, which a phone loads without them. */
export default function Screens() {
  return (
    <Routes>
      <Route element={<Frame />}>
        <Route index element={<Navigate to="/today" replace />} />
        <Route path="today" element={<Today />} />
        <Route path="needs" element={<NeedsYou />} />
        <Route path="databases" element={<DatabaseList />} />
        <Route path="databases/:database" element={<DatabaseScreen />} />
        <Route path="databases/:database/:record" element={<DatabaseScreen />} />
        <Route path="workflows" element={<WorkflowList />} />
        <Route path="workflows/:workflow" element={<Timetable />} />
        <Route path="workflows/:workflow/runs" element={<Timetable />} />
        <Route path="workflows/:workflow/backcast" element={<Timetable />} />
        <Route
          path="mirrors"
          element={
            <Planned name="Mirrors" what="Two collections in two apps kept the same, pair by pair, with conflicts settled in their rows." />
          }
        />
        <Route path="runs" element={<RunList />} />
        <Route path="runs/:run" element={<RunScreen />} />
        <Route path="beside" element={<Beside />} />
        <Route path="captures" element={<Captures />} />
        <Route path="connections" element={<ConnectionList />} />
        <Route path="connections/:connection" element={<ConnectionScreen />} />
        <Route path="trash" element={<Trash />} />
        <Route path="practice" element={<PracticeApps />} />
        <Route
          path="*"
          element={<Planned name="Nothing here" what="There is no page at this address. Use the navigation on the left." />}
        />
      </Route>
    </Routes>
  );
}
