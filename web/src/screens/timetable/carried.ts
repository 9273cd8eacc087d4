import type { Database, Sample, Wire } from "../../api/queries";
import { fillsFields, type Carried, type Document, type Line, type Making, type Part, type Ref, type Rehearsal, type Test } from "./model";
import { above, isWithin, withinOf } from "./nesting";

/** The database that a line works on: its own, or that of the record it changes. */
export function databaseOf(line: Line | undefined, document: Document, databases: Database[]): Database | undefined {
  if (line?.verb === "update" || line?.verb === "delete")
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

/** All carried values that a line uses, for underlining; those within formulas are the server's to know. */
export function usedBy(line: Line | undefined): Ref[] {
  const ofParts = (parts: Part[]): Ref[] => parts.flatMap((p) => (p.ref ? [p.ref] : []));
  const ofTests = (tests: Test[]): Ref[] =>
    tests.flatMap((t) => (t.kind === "condition" ? [t.ref] : t.kind === "group" ? ofTests(t.conditions) : []));
  const ofMaking = (made: Making): Ref[] => {
    if (made.kind === "filled") return ofParts(made.filling);
    if (made.kind === "cite") return [made.authors, made.year, made.title].filter((r): r is Ref => !!r);
    return Array.isArray(made.of) ? made.of : made.of ? [made.of] : [];
  };
  if (line && fillsFields(line)) return line.fillings.flatMap((f) => ofParts(f.filling));
  if (line?.verb === "only_if" || line?.verb === "way") return ofTests(line.conditions);
  if (line?.verb === "repeat") return ofParts(line.collects);
  if (line?.verb === "send_mail") return [line.to, line.subject, ...line.paragraphs].flatMap(ofParts);
  if (line?.verb === "web_request")
    return [line.address, ...line.headers.map((h) => h.filling), ...line.body.map((g) => g.filling)].flatMap(ofParts);
  if (line?.verb === "save_file") return [line.file, line.name, line.folder].flatMap(ofParts);
  if (line?.verb === "run_another") return line.given.flatMap((g) => ofParts(g.filling));
  if (line?.verb === "ask") return [...ofParts(line.asking), ...line.shown.flatMap((v) => ofMaking(v.made))];
  if (line?.verb === "stop") return ofParts(line.saying);
  if (line?.verb === "wait") return ofParts(line.filling);
  if (line?.verb === "find") return line.sought.flatMap((s) => ofParts(s.filling));
  return line?.verb === "shape" ? line.values.flatMap((v) => ofMaking(v.made)) : [];
}
