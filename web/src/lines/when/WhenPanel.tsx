import { MenuItem, Select } from "@mui/material";
import { useApps, useDatabases, type WorkflowDetail } from "../../api/queries";
import { AddressWhen } from "./AddressWhen";
import { AppWhen } from "./AppWhen";
import { eventOf } from "../../screens/timetable/lineWords";
import type { Own, Rehearsal, When } from "../../screens/timetable/model";
import { RecordWhen } from "./RecordWhen";
import { ScheduleWhen } from "./ScheduleWhen";
import { eventsOf, OWN_TRIGGERS } from "./triggers";
import { NO_WATCH } from "./watching";

interface Props {
  line: When;
  workflow: WorkflowDetail;
  findings: Rehearsal["findings"];
  onChange: (line: When) => void;
}

/** Where the workflow starts: an event of an app, a record, the time, or a request. */
export function WhenPanel({ line, workflow, findings, onChange }: Props) {
  const apps = useApps().data ?? [];
  const databases = useDatabases().data ?? [];
  const own = line.own;
  const inApp = (app: string, event: string) => `${app} ${event}`;
  const event =
    eventOf(
      apps.find((a) => a.code === line.app),
      line.event,
    )?.code ?? "";
  const kind = !own ? inApp(line.app, event) : own.kind === "record" ? own.event : own.kind;
  const choose = (next: string) => {
    const [code, chosen] = next.split(" ");
    if (code && chosen) {
      const same = code === line.app;
      return onChange({
        ...line,
        own: null,
        app: code,
        event: chosen,
        connection: same ? line.connection : null,
        container: same ? line.container : null,
        container_name: same ? line.container_name : "",
        watch: same ? { ...line.watch, fields: [], field: null, was: "", becomes: "" } : NO_WATCH,
      });
    }
    const made = OWN_TRIGGERS[next]?.begin() ?? null;
    const kept = made?.kind === "record" && own?.kind === "record" ? { ...made, database: own.database } : made; // the database stays
    return onChange({ ...line, own: kept });
  };
  const set = (next: Own) => onChange({ ...line, own: next });
  return (
    <>
      <div className="cond labelled">
        <span>Starts when</span>
        <Select value={kind} SelectDisplayProps={{ "aria-label": "Trigger" }} onChange={(event) => choose(event.target.value)}>
          {apps.flatMap((a) =>
            eventsOf(a, a.code === line.app && !own).map((e) => (
              <MenuItem key={inApp(a.code, e.code)} value={inApp(a.code, e.code)}>
                {a.name}: {e.words}
              </MenuItem>
            )),
          )}
          {Object.entries(OWN_TRIGGERS).map(([key, { words }]) => (
            <MenuItem key={key} value={key}>
              {words}
            </MenuItem>
          ))}
        </Select>
      </div>
      {!own && <AppWhen line={line} workflow={workflow} onChange={onChange} />}
      {own?.kind === "record" && <RecordWhen own={own} databases={databases} listens={workflow.listens} onChange={set} />}
      {own?.kind === "schedule" && <ScheduleWhen own={own} onChange={set} />}
      {own?.kind === "address" && <AddressWhen own={own} workflow={workflow} findings={findings} onChange={set} />}
      <Order line={line} onChange={onChange} />
    </>
  );
}

/** Whether runs go side by side or one after the other. */
function Order({ line, onChange }: { line: When; onChange: (line: When) => void }) {
  return (
    <div className="cond labelled">
      <span>Order of runs</span>
      <Select
        value={line.order}
        SelectDisplayProps={{ "aria-label": "Order of runs" }}
        onChange={(event) => onChange({ ...line, order: event.target.value })}
      >
        <MenuItem value="any">at the same time</MenuItem>
        <MenuItem value="item">one at a time for each {line.own?.kind === "record" ? "record" : "item"}</MenuItem>
        <MenuItem value="all">one at a time</MenuItem>
      </Select>
    </div>
  );
}
