import type { Document } from "../../screens/timetable/model";

/** The record of a line above, in words. */
export function recordOf(of: string, document: Document | undefined): string {
  const at = document?.lines.findIndex((l) => l.id === of) ?? -1;
  if (at <= 0) return "a record …";
  return document?.lines[at]?.verb === "repeat" ? "each record" : `the record of line ${at + 1}`;
}
