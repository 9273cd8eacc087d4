import type { Wire } from "../../api/queries";

export interface Referred {
  id: string;
  title: string;
  database: string;
}

/** The records that a value refers to, as the server sends them: id, title and database. */
export const recordsOf = (value: Wire | undefined): Referred[] =>
  Array.isArray(value)
    ? value.flatMap((one) => (Array.isArray(one) ? [{ id: one[0] ?? "", title: one[1] || "Untitled", database: one[2] ?? "" }] : []))
    : [];
