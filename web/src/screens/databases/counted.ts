import type { components } from "../../api/schema";

/** How many records a database holds, as people write it; large ones are counted up to a number only. */
export function counted(database: components["schemas"]["DatabaseOut"]): string {
  return `${database.more ? "over " : ""}${(database.records ?? 0).toLocaleString("en-GB")}`;
}
