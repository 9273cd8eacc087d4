import type { App } from "../../api/queries";
import type { Own, RecordEvent } from "../../screens/timetable/model";

interface OwnTrigger {
  words: string;
  /** What it begins with when it is chosen. */
  begin: () => Own;
  /** Whether it is about the records of a database. */
  ofDatabase?: boolean;
}

const RECORD = { kind: "record", database: null, fields: [], field: null, was: "", becomes: "", quiet: 0, filled: [], button: "" } as const;
const record = (event: RecordEvent["event"], words: string): OwnTrigger => ({
  words,
  begin: () => ({ ...RECORD, fields: [], filled: [], event }),
  ofDatabase: true,
});

/** What can start a workflow in an app: all there is, or what is wanted most, so that a list of several apps stays short. */
export const eventsOf = (app: App, all: boolean) => (all ? app.events : app.events.filter((e) => !e.of_any || e.code === "reached"));

/** What starts a workflow besides the events of apps. */
export const OWN_TRIGGERS: Record<string, OwnTrigger> = {
  added: record("added", "a record is added"),
  changed: record("changed", "a record changes"),
  reached: record("reached", "a field of a record reaches a value"),
  button: record("button", "a button on a record is pressed"),
  database_button: record("database_button", "a button on a database is pressed"),
  schedule: {
    words: "a scheduled time arrives",
    begin: () => ({ kind: "schedule", rule: "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", cron: "", start: "2026-01-01T08:00" }),
  },
  address: {
    words: "a request arrives at its own address",
    begin: () => ({ kind: "address", inputs: [], lists: [], signed: false, secret: false, ranges: [], limit: 0 }),
  },
};
