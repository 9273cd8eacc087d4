import type { InfiniteData, Query, QueryClient } from "@tanstack/react-query";
import { answer, client } from "./client";
import type { Database, RecordOut } from "./queries";
import type { components } from "./schema";

type Page = components["schemas"]["RecordsOut"];
type List = InfiniteData<Page> | Page;

/** That a record changed, as the live stream tells it; `number` counts the changes of the workspace. */
export interface Change {
  database: number;
  record: number;
  kind: "added" | "changed" | "deleted";
  number: number;
}

const MAX_READ = 100; // records in one request

/** A topic of the live stream that names a record, as record:7:81:changed:204. */
export function changeOf(topic: string): Change | null {
  const [what, database, record, kind, number] = topic.split(":");
  if (what !== "record" || !kind) return null;
  return { database: Number(database), record: Number(record), kind: kind as Change["kind"], number: Number(number) };
}

const pagesOf = (list: List) => ("pages" in list ? list.pages : [list]);

/** Whether a list shows a record, or would from now on: one that was added, and is not older than all that was read so far. */
function concerns(list: List, change: Change): boolean {
  const pages = pagesOf(list);
  if (pages.some((p) => p.records.some((r) => r.id === change.record))) return true;
  const last = pages.at(-1);
  const oldest = last?.records.at(-1);
  return change.kind === "added" && (!last?.next || !oldest || change.record > oldest.id);
}

/** A page with these records as they are now; those that were asked for and not found are gone. */
function patched(page: Page, asked: ReadonlySet<number>, found: ReadonlyMap<number, RecordOut>): Page {
  if (!page.records.some((r) => asked.has(r.id))) return page;
  const records = page.records.flatMap((r) => {
    const now = found.get(r.id);
    if (!asked.has(r.id)) return [r];
    return now ? [now.version < r.version ? r : now] : [];
  });
  return { ...page, records };
}

/** A list, the newest first, with these records as they are now, and those that enter it where they belong. */
export function withRecords<L extends List>(list: L, asked: ReadonlySet<number>, found: ReadonlyMap<number, RecordOut>): L {
  const pages = pagesOf(list).map((p) => patched(p, asked, found));
  const shown = new Set(pages.flatMap((p) => p.records.map((r) => r.id)));
  for (const record of found.values()) {
    if (shown.has(record.id)) continue;
    const at = pages.findIndex((p, n) => n === pages.length - 1 || (p.records.at(-1)?.id ?? 0) < record.id);
    const page = pages[at];
    if (!page) continue;
    pages[at] = { ...page, records: [...page.records, record].sort((a, b) => b.id - a.id) };
  }
  return ("pages" in list ? { ...list, pages } : pages[0]) as L;
}

const waiting = new Map<number, Map<number, Change>>(); // by database and record: what is still to be read

/**
 * Read the records of a database that are shown and were changed, or that enter what is shown, and no others. What changes while
 * they are read is read next, together.
 */
async function readRows(queries: QueryClient, database: number): Promise<void> {
  for (let some = waiting.get(database); some?.size; some = waiting.get(database)) {
    const changes = [...some.values()].slice(0, MAX_READ);
    for (const c of changes) some.delete(c.record);
    const lists = listsOf(queries, database).filter((q) => changes.some((c) => concerns(q.state.data as List, c)));
    const asked = new Set(changes.filter((c) => lists.some((q) => concerns(q.state.data as List, c))).map((c) => c.record));
    const ids = changes.filter((c) => c.kind !== "deleted" && asked.has(c.record)).map((c) => c.record);
    try {
      const read = ids.length
        ? await answer(
            client.GET("/api/v1/databases/{database_id}/records", { params: { path: { database_id: database }, query: { ids } } }),
          )
        : { records: [] };
      for (const q of lists) {
        const now = queries.getQueryData<List>(q.queryKey);
        const entering = read.records.filter((r) => now && changes.some((c) => c.record === r.id && concerns(now, c)));
        if (now) queries.setQueryData(q.queryKey, withRecords(now, asked, new Map(entering.map((r) => [r.id, r]))));
      }
    } catch {
      void queries.invalidateQueries({ queryKey: ["records", database] });
    }
  }
  waiting.delete(database);
}

/** The lists of a database that are on the screen and read to their end; others are read anew when they are looked at. */
function listsOf(queries: QueryClient, database: number): Query[] {
  const lists = queries.getQueryCache().findAll({ queryKey: ["records", database] });
  return lists.filter((q) => {
    const isReady = q.isActive() && q.state.data !== undefined && q.state.fetchStatus === "idle";
    if (!isReady) void queries.invalidateQueries({ queryKey: q.queryKey, exact: true });
    return isReady;
  });
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
    queries.setQueryData<Database>(["databases", id], (d) => d && recounted(d, changes));
    const some = waiting.get(id);
    const next = some ?? new Map<number, Change>();
    for (const c of changes.filter((c) => c.database === id)) {
      const before = next.get(c.record);
      next.set(c.record, before?.kind === "added" && c.kind === "changed" ? before : c);
    }
    waiting.set(id, next);
    if (!some) void readRows(queries, id);
  }
  for (const c of changes) void queries.invalidateQueries({ queryKey: ["record", c.database, c.record] });
  if (changes.some((c) => c.kind !== "changed")) void queries.invalidateQueries({ queryKey: ["trash"] });
}
