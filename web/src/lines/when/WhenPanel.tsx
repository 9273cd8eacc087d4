import { MenuItem, Select } from "@mui/material";
import { useApps, useDatabases, type WorkflowDetail } from "../../api/queries";
import { AddressWhen } from "./AddressWhen";
import { AppWhen } from "./AppWhen";
import { eventOf } from "../../screens/timetable/lineWords";
import type { Own, RecordEvent, Rehearsal, When } from "../../screens/timetable/model";
import { RecordWhen } from "./RecordWhen";
import { ScheduleWhen } from "./ScheduleWhen";

interface Props {
  line: When;
  workflow: WorkflowDetail;
  findings: Rehearsal["findings"];
  onChange: (line: When) => void;
}

const RECORD = { kind: "record", database: null, fields: [], field: null, was: "", becomes: "", quiet: 0, filled: [], button: "" } as const;
const begin = (event: RecordEvent["event"]): Own => ({ ...RECORD, fields: [], filled: [], event });

/** What starts a workflow, and what it begins with when that is chosen. */
const OWN: Record<string, [words: string, own: () => Own]> = {
  added: ["a record is added", () => begin("added")],
  changed: ["a record changes", () => begin("changed")],
  reached: ["a field of a record reaches a value", () => begin("reached")],
  button: ["a button on a record is pressed", () => begin("button")],
  database_button: ["a button on a database is pressed", () => begin("database_button")],
  schedule: [
    "a scheduled time arrives",
    () => ({ kind: "schedule", rule: "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", cron: "", start: "2026-01-01T08:00" }),
  ],
  address: ["a request comes to an address of its own", () => ({ kind: "address", inputs: [], signed: false, limit: 0 })],
};

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
      });
    }
    const made = OWN[next]?.[1]() ?? null;
    const kept = made?.kind === "record" && own?.kind === "record" ? { ...made, database: own.database } : made; // the database stays
    return onChange({ ...line, own: kept });
  };
  const set = (next: Own) => onChange({ ...line, own: next });
  return (
    <>
      <div className="cond labelled">
        <span>Starts when</span>
        <Select
          value={kind}

          SelectDisplayProps={{ "aria-label": "What starts it" }}
          onChange={(event) => choose(event.target.value)}
        >
          {apps.flatMap((a) =>
            a.events.map((e) => (
              <MenuItem key={inApp(a.code, e.code)} value={inApp(a.code, e.code)}>
                {a.name}: {e.words}
              </MenuItem>
            )),
          )}
          {Object.entries(OWN).map(([key, [words]]) => (
            <MenuItem key={key} value={key}>
              {words}
            </MenuItem>
          ))}
        </Select>
      </div>
      {!own && <AppWhen line={line} workflow={workflow} onChange={onChange} />}
      {own?.kind === "record" && <RecordWhen own={own} databases={databases} listens={workflow.listens} onChange={set} />}
      {own?.kind === "schedule" && <ScheduleWhen own={own} onChange={set} />}
      {own?.kind === "address" && <AddressWhen own={own} workflow={workflow.id} findings={findings} onChange={set} />}
      <Order line={line} onChange={onChange} />
    </>
  );
}

/** Whether runs go side by side or one after the other. */
function Order({ line, onChange }: { line: When; onChange: (line: When) => void }) {
  return (
    <div className="cond labelled">
      <span>Runs go</span>
      <Select
        value={line.order}

        SelectDisplayProps={{ "aria-label": "In which order runs go" }}
        onChange={(event) => onChange({ ...line, order: event.target.value })}
      >
        <MenuItem value="any">side by side, as they come</MenuItem>
        <MenuItem value="item">one after the other for each {line.own?.kind === "record" ? "record" : "item"}</MenuItem>
        <MenuItem value="all">one after the other, all of them</MenuItem>
      </Select>
    </div>
  );
}
