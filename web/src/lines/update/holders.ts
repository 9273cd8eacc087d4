import type { Database } from "../../api/queries";
import { databaseOf } from "../../screens/timetable/carried";
import { above, isWithin } from "../../screens/timetable/nesting";
import type { Document, Line } from "../../screens/timetable/model";
import { viewOf } from "..";

/** The lines above whose record can be changed: of a Repeat line, the one that is gone through. */
export function holders(document: Document, line: string, databases: Database[]): Line[] {
  return above(document, line).filter((l) =>
    l.verb === "find"
      ? l.several !== "all"
      : l.verb === "repeat"
        ? isWithin(document, line, l.id) && !!databaseOf(l, document, databases)
        : !!viewOf(l.verb).holds && (!viewOf(l.verb).fixed || !!databaseOf(l, document, databases)),
  );
}
