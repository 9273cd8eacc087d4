import type { Database, Sample, Wire } from "../../api/queries";
import type { Carried, Document, Line, Ref, Rehearsal } from "./model";
import { above, isWithin, withinOf } from "./nesting";

/** The database that a line works on: its own, or that of the record it changes. */
export function databaseOf(line: Line | undefined, document: Document, databases: Database[]): Database | undefined {
  if (line && "of" in line && typeof line.of === "string")
    return databaseOf(
      above(document, line.id).find((l) => l.id === line.of),
      document,
      databases,
    );
  if (line?.verb === "repeat")
    return line.of?.value === "records"
      ? databaseOf(
          document.lines.find((l) => l.id === line.of?.line),
          document,
          databases,
        )
      : undefined;
  if (line && "own" in line) {
    const { own, connection, container } = line;
    if (own) return own.kind === "record" && own.event !== "database_button" ? databases.find((d) => d.id === own.database) : undefined;
    return databases.find((d) => d.outside?.connection === connection && d.outside?.place === container);
  }
  return line && "database" in line ? databases.find((d) => d.id === line.database) : undefined;
}

/** The carried values that a line can use: those that the lines above it make, a Shape line's own, and what a Repeat line can collect. */
export function carriedFor(document: Document, id: string, carried: Carried[]): Carried[] {
  const line = document.lines.find((l) => l.id === id);
  const usable = new Set(above(document, id).map((l) => l.id));
  if (line?.verb === "shape" || line?.verb === "repeat") usable.add(id);
  if (line?.verb === "repeat") document.lines.filter((l) => withinOf(l) === id).forEach((l) => usable.add(l.id));
  const repeats = new Set(document.lines.flatMap((l) => (l.verb === "repeat" ? [l.id] : [])));
  return carried.filter(
    (c) => usable.has(c.line) && (!repeats.has(c.line) || c.inside === (c.line === id || isWithin(document, id, c.line))),
  );
}

/** What a carried value is called among others: those of the source without its name, where no other would be called so. */
export function carriedName(one: Carried, among: Carried[]): string {
  const first = among[0];
  const plain = one.name.slice(1).join(" › ");
  const alike =
    one.name[0] !== first?.name[0] &&
    among.some((c) => c.line === one.line && c.name[0] === first?.name[0] && c.name.slice(1).join(" › ") === plain);
  return (one.line === first?.line && !alike && plain) || one.name.join(" › ");
}

/** What a carried value is in a sample. */
export function valueIn(sample: Sample | undefined, rehearsal: Rehearsal | undefined, ref: Ref, when: string): Wire | undefined {
  if (!sample) return undefined;
  return ref.line === when ? sample.values[ref.value] : rehearsal?.provisional[String(sample.id)]?.[ref.line]?.[ref.value];
}
