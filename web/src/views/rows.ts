import type { Places } from "./queries";

/** A row of a view: a record by its number; the head of a group (record: null); or a record that is still to be read. `at`: its
    place among the records. */
export interface ViewRow {
  record: number | null | undefined;
  group: string | null;
  at: number;
}

/** The rows of a view, with heads where records are grouped, and the numbers of the records in their order. */
export function rowsOf(
  groups: Places["groups"],
  isGrouped: boolean,
  closed: ReadonlySet<string | null>,
  total: number,
): [ViewRow[], number[]] {
  const rows: ViewRow[] = [];
  const ids: number[] = [];
  let read = 0;
  for (const { key, records } of groups) {
    read += records.length;
    if (isGrouped) rows.push({ record: null, group: key, at: ids.length });
    if (closed.has(key)) continue;
    for (const record of records) {
      rows.push({ record, group: key, at: ids.length });
      ids.push(record);
    }
  }
  for (let n = read; n < total; n++) rows.push({ record: undefined, group: null, at: ids.length + n - read });
  return [rows, ids];
}
