import type { InfiniteData, Query, QueryClient } from "@tanstack/react-query";
import { answer, client } from "./client";
import type { Database } from "./queries";
import type { components } from "./schema";

type Schemas = components["schemas"];
type Shown = Schemas["ShownRecord"];
type Places = InfiniteData<Schemas["PlacesOut"]>;

/** That a record changed, as the live stream tells it; `number` counts the changes of the workspace. */
export interface Change {
  database: number;
  record: number;
  kind: "added" | "changed" | "deleted";
  number: number;
}

const MAX_READ = 100; // records in one request
const PLACES_EVERY = 1000; // ms between readings of where records stand in a view, while they change

/** A topic of the live stream that names a record, as record:7:81:changed:204. */
export function changeOf(topic: string): Change | null {
  const [what, database, record, kind, number] = topic.split(":");
  if (what !== "record" || !kind) return null;
  return { database: Number(database), record: Number(record), kind: kind as Change["kind"], number: Number(number) };
}

// Rows that are shown

const waiting = new Map<number, Map<number, Change>>(); // by database and record: what is still to be read

/** The rows of a database that are on the screen; others are read anew when they are looked at. */
function rowsShown(queries: QueryClient, database: number): Query[] {
  return queries
    .getQueryCache()
    .findAll({ queryKey: ["view-rows", database] })
    .filter((q) => {
      const isReady = q.isActive() && q.state.data !== undefined && q.state.fetchStatus === "idle";
      if (!isReady) void queries.invalidateQueries({ queryKey: q.queryKey, exact: true });
      return isReady;
    });
}

const holds = (query: Query, record: number) => (query.state.data as Shown[]).some((s) => s.record.id === record);

/** Rows with these records as they are now. */
export function withRecords(rows: Shown[], found: ReadonlyMap<number, Shown>): Shown[] {
  return rows.map((row) => {
    const now = found.get(row.record.id);
    return now && now.record.version >= row.record.version ? now : row;
  });
}

/** Read the rows of a database that are shown and were changed, and no others. What changes meanwhile is read next, together. */
async function readRows(queries: QueryClient, database: number): Promise<void> {
  for (let some = waiting.get(database); some?.size; some = waiting.get(database)) {
    const changes = [...some.values()].slice(0, MAX_READ);
    for (const c of changes) some.delete(c.record);
    const rows = rowsShown(queries, database);
    const byMarks = new Map<string, Query[]>();
    for (const q of rows) byMarks.set(JSON.stringify(q.queryKey[2]), [...(byMarks.get(JSON.stringify(q.queryKey[2])) ?? []), q]);
    for (const [marks, shown] of byMarks) {
      const records = changes.filter((c) => c.kind !== "deleted" && shown.some((q) => holds(q, c.record))).map((c) => c.record);
      if (records.length === 0) continue;
      try {
        const body = { records, marks: JSON.parse(marks) as Schemas["MarkBody"][] };
        const read = await answer(
          client.POST("/api/v1/databases/{database_id}/shown", { params: { path: { database_id: database } }, body }),
        );
        const found = new Map(read.map((one) => [one.record.id, one]));
        for (const q of shown) queries.setQueryData<Shown[]>(q.queryKey, (now) => now && withRecords(now, found));
      } catch {
        void queries.invalidateQueries({ queryKey: ["view-rows", database] });
      }
    }
  }
  waiting.delete(database);
}

// Where records stand

/** Whether what is asked shows all records, the newest first: what is added comes on top, and nothing else changes it. */
const isPlain = (asked: unknown) => {
  const view = asked as Schemas["ViewBody"];
  return !view.filter?.tests?.length && !view.order?.length && !view.group;
};

/** Places of all records, the newest first, after some were added or deleted. */
export function withPlaces(places: Places, changes: Change[]): Places {
  const gone = new Set(changes.map((c) => c.record));
  const [first, ...others] = places.pages.map((page) => ({
    ...page,
    groups: page.groups.map((g) => ({ ...g, records: g.records.filter((id) => !gone.has(id)) })),
  }));
  const added = changes.filter((c) => c.kind === "added").map((c) => c.record);
  const all = first?.groups[0]?.records ?? [];
  const lowest = first?.next ? (all.at(-1) ?? 0) : 0;
  const records = [...new Set([...added.filter((id) => id > lowest), ...all])].sort((a, b) => b - a);
  return { ...places, pages: [{ next: first?.next ?? null, groups: records.length ? [{ key: null, records }] : [] }, ...others] };
}

const again = new Map<number, number>(); // by database: the timer of the next reading

/** Read again where records stand in views, and their figures: at once, and at most once a second. */
function replace(queries: QueryClient, database: number, changes: Change[]): void {
  const moves = changes.filter((c) => c.kind !== "changed");
  const moved = [...new Map(moves.map((c) => [c.record, c])).values()]; // what came and went is gone: the last counts
  const isRead = (q: Query) => !isPlain(q.queryKey[2]);
  for (const q of queries.getQueryCache().findAll({ queryKey: ["view-places", database] })) {
    if (isRead(q) || moved.length === 0) continue;
    if (q.state.fetchStatus !== "idle") void queries.invalidateQueries({ queryKey: q.queryKey, exact: true });
    else queries.setQueryData<Places>(q.queryKey, (now) => now && withPlaces(now, moved));
  }
  const read = () => {
    void queries.invalidateQueries({ queryKey: ["view-places", database], predicate: isRead });
    void queries.invalidateQueries({ queryKey: ["view-figures", database] });
  };
  if (again.has(database)) return;
  read();
  again.set(
    database,
    window.setTimeout(() => {
      again.delete(database);
      read();
    }, PLACES_EVERY),
  );
}

/** How many records a database holds, by the changes that its count does not have yet. */
function recounted(database: Database, changes: Change[]): Database {
  const counted = database.counted_to;
  if (counted === null || counted === undefined) return database;
  const since = changes.filter((c) => c.database === database.id && c.number > counted);
  const more = since.reduce((n, c) => n + (c.kind === "added" ? 1 : c.kind === "deleted" ? -1 : 0), 0);
  const records = database.more ? database.records : (database.records ?? 0) + more;
  return since.length ? { ...database, records, counted_to: Math.max(...since.map((c) => c.number)) } : database;
}

/** Take up changes of records: what shows them is read, or put right, and nothing else. */
export function takeUp(queries: QueryClient, changes: Change[]): void {
  if (changes.length === 0) return;
  queries.setQueryData<Database[]>(["databases"], (all) => all?.map((d) => recounted(d, changes)));
  for (const id of new Set(changes.map((c) => c.database))) {
    const mine = changes.filter((c) => c.database === id);
    queries.setQueryData<Database>(["databases", id], (d) => d && recounted(d, changes));
    replace(queries, id, mine);
    void queries.invalidateQueries({ queryKey: ["records", id] });
    const some = waiting.get(id);
    const next = some ?? new Map<number, Change>();
    for (const c of mine) next.set(c.record, c);
    waiting.set(id, next);
    if (!some) void readRows(queries, id);
  }
  for (const c of changes) void queries.invalidateQueries({ queryKey: ["record", c.database, c.record] });
  if (changes.some((c) => c.kind !== "changed")) void queries.invalidateQueries({ queryKey: ["trash"] });
}
