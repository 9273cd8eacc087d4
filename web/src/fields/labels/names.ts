import type { Field, Wire } from "../../api/queries";

/** The names of a record's labels; a deleted one has none. */
export function labelNames(field: Field, value: Wire | undefined): string[] {
  return Array.isArray(value) ? value.flatMap((id) => field.choices.find((c) => c.id === id)?.name ?? []) : [];
}
