import type { Database } from "../../api/queries";
import { databaseOf } from "../../screens/timetable/carried";
import type { Document } from "../../screens/timetable/model";
import { recordWord } from "../databaseWords";

/** The record of a line above, in words. */
export function recordOf(of: string, document: Document | undefined, databases: Database[]): string {
  const at = document?.lines.findIndex((l) => l.id === of) ?? -1;
  if (at < 0) return "a record …";
  if (at === 0) return "what started the run";
  const line = document?.lines[at];
  const word = recordWord(document && databaseOf(line, document, databases));
  return line?.verb === "repeat" ? `each ${word}` : `the ${word} of line ${at + 1}`;
}
