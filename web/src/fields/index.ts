import type { Field, Wire } from "../api/queries";
import type { FieldView } from "./fieldView";

const PLAIN: FieldView = { width: 190 };
const found = import.meta.glob<FieldView>("./*/view.{ts,tsx}", { eager: true, import: "default" });
const views = new Map(Object.entries(found).map(([path, view]) => [path.split("/")[1], view]));

/** How values of a field are shown and edited. */
export const viewOf = (field: Field | undefined): FieldView => views.get(field?.type) ?? PLAIN;

/** How a value reads in a table or beside a record. */
export function reads(field: Field, value: Wire | undefined, zone: string): string {
  if (value == null || value === "") return "";
  return viewOf(field).reads?.(value, field, zone) ?? String(value);
}

/** How a value that a line carries reads: choices and labels are their names there. */
export function readsCarried(type: string, value: Wire | undefined, zone: string): string {
  if (value == null || value === "") return "";
  return views.get(type)?.reads?.(value, null, zone) ?? String(value);
}

/** What an editing box begins with. */
export function typed(field: Field, value: Wire | undefined, zone: string): string {
  if (value == null) return "";
  return viewOf(field).typed?.(value, zone) ?? String(value);
}
