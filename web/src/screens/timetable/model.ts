import type { Schemas } from "../../api/client";
import type { App, Database, Sample, Wire } from "../../api/queries";
import { above, isWithin, withinOf } from "./nesting";
import { scheduleWords } from "./scheduleRule";

export type Document = Schemas["Workflow"];
export type When = Schemas["When"];
export type RecordEvent = Schemas["RecordEvent"];
export type Schedule = Schemas["Schedule"];
export type Address = Schemas["Address"];
export type Own = RecordEvent | Schedule | Address;
export type OnlyIf = Schemas["OnlyIf"];
export type Add = Schemas["Add"];
export type AddOrUpdate = Schemas["AddOrUpdate"];
export type Update = Schemas["Update"];
export type Delete = Schemas["Delete"];
export type Fills = Add | AddOrUpdate | Update;
export type Shape = Schemas["Shape"];
export type Find = Schemas["Find"];
export type Wait = Schemas["Wait"];
export type Decide = Schemas["Decide"];
export type Way = Schemas["Way"];
export type Repeat = Schemas["Repeat"];
export type Ask = Schemas["Ask"];
export type SendMail = Schemas["SendMail"];
export type Stop = Schemas["Stop"];
export type Figure = Schemas["Figure"];
export type CarriedList = Schemas["ListOut"];
export type Sought = Schemas["Sought"];
export type Shaped = Schemas["Shaped"];
export type Making = Shaped["made"];
export type Formula = Schemas["Formula"];
export type Condition = Schemas["Condition"];
export type Group = Schemas["Group"];
export type Test = Condition | Group | Formula;
export type Line = Document["lines"][number];
export type Part = Schemas["Part"];
export type Ref = Schemas["Reference"];
export type Cell = Schemas["CellOut"];
export type Rehearsal = Schemas["RehearsalOut"];
export type Carried = Schemas["CarriedValue"];
export type Remedy = Schemas["RemedyOut"];
export type Operator = Schemas["Condition"]["operator"];

export const newId = () => crypto.randomUUID().slice(0, 8);
export const sameRef = (a: Ref | null | undefined, b: Ref | null | undefined) =>
  !!a && !!b && a.line === b.line && a.value === b.value;

export function whenOf(document: Document): When {
  return document.lines[0] as When;
}

export type NewVerb = Exclude<Line["verb"], "when" | "way" | "otherwise">;

/** A line on which nothing is said yet; a decision with one way and an Otherwise line. */
export function emptyLines(verb: NewVerb, id: string): [Line, ...Line[]] {
  const within = "";
  switch (verb) {
    case "add":
      return [{ verb, id, within, database: null, fillings: [] }];
    case "add_or_update":
      return [{ verb, id, within, database: null, by: [], fillings: [], several: "stop" }];
    case "wait":
      return [{ verb, id, within, kind: "span", amount: 1, unit: "hours", filling: [], days: [1, 2, 3, 4, 5], begins: "09:00", ends: "17:00" }];
    case "update":
      return [{ verb, id, within, of: "", fillings: [] }];
    case "delete":
      return [{ verb, id, within, of: "" }];
    case "find":
      return [{ verb, id, within, database: null, mode: "all", sought: [], several: "newest", none: "go_on", order: null, descending: false, figures: [], listed: [] }];
    case "shape":
      return [{ verb, id, within, values: [] }];
    case "only_if":
      return [{ verb, id, within, mode: "all", conditions: [] }];
    case "decide":
      return [
        { verb, id, within },
        { verb: "way", id: newId(), within: id, mode: "all", conditions: [], name: "" },
        { verb: "otherwise", id: newId(), within: id },
      ];
    case "repeat":
      return [{ verb, id, within, of: null, collects: [] }];
    case "send_mail":
      return [{ verb, id, within, connection: null, to: [], subject: [], paragraphs: [[]], rows: null, columns: [], split: "" }];
    case "ask":
      return [{ verb, id, within, asking: [], shown: [], no: "pass_by" }];
    case "stop":
      return [{ verb, id, within, how: "passed_by", saying: [] }];
  }
}

export function replaceLine(document: Document, line: Line): Document {
  return { lines: document.lines.map((l) => (l.id === line.id ? line : l)) };
}

export const fillsFields = (line: Line | undefined): line is Fills => line?.verb === "add" || line?.verb === "add_or_update" || line?.verb === "update";

/** The database that a line works on: its own, or that of the record it changes. */
export function databaseOf(line: Line | undefined, document: Document, databases: Database[]): Database | undefined {
  if (line?.verb === "update" || line?.verb === "delete") return databaseOf(above(document, line.id).find((l) => l.id === line.of), document, databases);
  if (line?.verb === "repeat") return line.of?.value === "records" ? databaseOf(document.lines.find((l) => l.id === line.of?.line), document, databases) : undefined;
  return line && "database" in line ? databases.find((d) => d.id === line.database) : undefined;
}

export function fillingOf(line: Fills, field: number): Part[] {
  return line.fillings.find((f) => f.field === field)?.filling ?? [];
}

/** With other fillings for some fields; an empty one takes the field's filling away. */
export function fill<L extends Fills>(line: L, fills: { field: number; filling: Part[] }[]): L {
  const named = new Set(fills.map((f) => f.field));
  const empty = (field: number) => line.fillings.find((f) => f.field === field)?.empty ?? "leave";
  return {
    ...line,
    fillings: [...line.fillings.filter((f) => !named.has(f.field)), ...fills.filter((f) => f.filling.length > 0).map(({ field, filling }) => ({ field, filling, named: "", empty: empty(field) }))],
  };
}

/** Neighbouring texts joined, empty ones dropped. */
export function tidy(parts: Part[]): Part[] {
  const result: Part[] = [];
  for (const part of parts) {
    const last = result.at(-1);
    if (part.text != null && last?.text != null) result[result.length - 1] = { text: last.text + part.text };
    else if (part.ref || part.formula || part.text) result.push(part);
  }
  return result;
}

/** The carried values that a line can use: those that the lines above it make, a Shape line's own, and what a Repeat line can collect. */
export function carriedFor(document: Document, id: string, carried: Carried[]): Carried[] {
  const line = document.lines.find((l) => l.id === id);
  const usable = new Set(above(document, id).map((l) => l.id));
  if (line?.verb === "shape" || line?.verb === "repeat") usable.add(id);
  if (line?.verb === "repeat") document.lines.filter((l) => withinOf(l) === id).forEach((l) => usable.add(l.id));
  const repeats = new Set(document.lines.flatMap((l) => (l.verb === "repeat" ? [l.id] : [])));
  return carried.filter((c) => usable.has(c.line) && (!repeats.has(c.line) || c.inside === (c.line === id || isWithin(document, id, c.line))));
}

/** What a carried value is called among others: those of the source without its name. */
export function carriedName(one: Carried, among: Carried[]): string {
  const ofSource = one.line === among[0]?.line;
  return (ofSource && one.name.slice(1).join(" › ")) || one.name.join(" › ");
}

/** What a carried value is in a sample. */
export function valueIn(sample: Sample | undefined, rehearsal: Rehearsal | undefined, ref: Ref, when: string): Wire | undefined {
  if (!sample) return undefined;
  return ref.line === when ? sample.values[ref.value] : rehearsal?.provisional[String(sample.id)]?.[ref.line]?.[ref.value];
}

/** What happens in Kelvix itself, in words. */
function ownWords(own: Own, databases: Database[]): { object: string; detail: string } {
  if (own.kind === "schedule") return { object: "a time comes round", detail: scheduleWords(own) };
  if (own.kind === "address") return { object: "a request comes in", detail: own.inputs.length === 1 ? "1 value declared" : `${own.inputs.length} values declared` };
  const database = databases.find((d) => d.id === own.database);
  const name = database?.name ?? (own.database ? "a deleted database" : "…");
  const field = (id: number | null | undefined) => database?.fields.find((f) => f.id === id)?.name ?? "a field";
  const waits = [own.quiet > 0 && `quiet for ${own.quiet} s`, own.filled.length > 0 && `${own.filled.map(field).join(", ")} filled`].filter(Boolean).join(", ");
  switch (own.event) {
    case "added":
      return { object: `a record is added to ${name}`, detail: waits };
    case "changed":
      return { object: `a record of ${name} changes`, detail: [own.fields.map(field).join(", "), waits].filter(Boolean).join("; ") };
    case "reached":
      return { object: `${own.field ? field(own.field) : "a field"} becomes ${own.becomes || "filled"}`, detail: [name, waits].filter(Boolean).join("; ") };
    case "button":
      return { object: `“${own.button || "…"}” is pressed`, detail: `on a record of ${name}` };
  }
}

export const FIGURE_WORDS: Record<Figure["kind"], string> = { sum: "sum of", average: "average of", least: "least", greatest: "greatest", first: "first", last: "last" };
const STOPS = { done: "here: done", passed_by: "here: passed by", failed: "here: failed" } as const;
const LISTS: Record<string, string> = { attachments: "its attachments" };

export function sentenceOf(line: Line, app: App | undefined, databases: Database[], document?: Document): { verb: string; object: string; detail: string } {
  if (line.verb === "when" && line.own) return { verb: "When", ...ownWords(line.own, databases) };
  if (line.verb === "when") {
    const place = line.container_name ? `${app?.name ?? ""} › ${line.container_name}` : `choose the ${app?.container_word ?? "folder"}`;
    return { verb: "When", object: app?.event_words ?? "something happens", detail: place };
  }
  if (line.verb === "only_if") {
    const object = line.mode === "none" ? "none of these" : line.conditions.length < 2 ? "this holds" : line.mode === "any" ? "any of these" : "all of these";
    return { verb: "Only if", object, detail: "" };
  }
  if (line.verb === "shape") {
    const names = line.values.map((v) => v.name || "unnamed").join(", ");
    return { verb: "Shape", object: line.values.length === 1 ? "a value" : line.values.length ? `${line.values.length} values` : "values", detail: names || "add a value" };
  }
  if (line.verb === "wait") {
    const unit = line.amount === 1 ? line.unit.slice(0, -1) : line.unit;
    const object = line.kind === "span" ? `${line.amount} ${unit}` : line.kind === "moment" ? "until a time" : "until a working hour";
    return { verb: "Wait", object, detail: line.kind === "working" ? `${line.begins} to ${line.ends}` : "" };
  }
  if (line.verb === "send_mail") return { verb: "Send", object: line.split ? "each their own mail" : "a mail", detail: line.subject.map((p) => p.text ?? "…").join("") || "say to whom, and what" };
  if (line.verb === "ask") return { verb: "Ask", object: "for approval", detail: line.asking.map((p) => p.text ?? "…").join("") || "say what is asked" };
  if (line.verb === "decide") return { verb: "Decide", object: "which way to go", detail: "" };
  if (line.verb === "way") return { verb: "If", object: line.name || (line.conditions.length < 2 ? "this holds" : `${line.mode} of these`), detail: "" };
  if (line.verb === "otherwise") return { verb: "Otherwise", object: "", detail: "" };
  if (line.verb === "stop") return { verb: "Stop", object: STOPS[line.how], detail: line.saying.map((p) => p.text ?? "…").join("") };
  if (line.verb === "repeat") {
    const of = line.of?.value === "records" ? `each record of line ${(document?.lines.findIndex((l) => l.id === line.of?.line) ?? 0) + 1}` : line.of ? `each of ${LISTS[line.of.value] ?? "a list"}` : "each of …";
    return { verb: "For", object: of, detail: line.of ? "" : "choose the list" };
  }
  const database = "database" in line ? databases.find((d) => d.id === line.database) : undefined;
  if (line.verb === "find") {
    const names = line.sought.map((s) => database?.fields.find((f) => f.id === s.field)?.name ?? (s.named || "a deleted field"));
    const one = line.several === "all" ? "all records" : "a record";
    const object = database ? `${one} in ${database.name}` : line.database ? `${one} in a deleted database` : `${one} in …`;
    return { verb: "Find", object, detail: database ? (names.length ? `by ${names.join(line.mode === "all" ? " and " : " or ")}` : "say what is looked for") : "choose the database" };
  }
  if (line.verb === "update" || line.verb === "delete") {
    const of = document?.lines.findIndex((l) => l.id === line.of) ?? -1;
    const object = of > 0 ? (document?.lines[of]?.verb === "repeat" ? "each record" : `the record of line ${of + 1}`) : "a record …";
    const detail = line.verb === "delete" ? "to the trash" : line.fillings.length === 1 ? "1 field" : `${line.fillings.length} fields`;
    return { verb: line.verb === "update" ? "Update" : "Delete", object, detail };
  }
  const filled = line.fillings.length;
  const into = line.verb === "add" ? "to" : "in";
  const object = database ? `a record ${into} ${database.name}` : line.database ? `a record ${into} a deleted database` : `a record ${into} …`;
  return { verb: line.verb === "add" ? "Add" : "Add or update", object, detail: database ? `${filled} of ${database.fields.length} fields filled` : "choose the database" };
}

/** A calculation as words: Date + 3 days. */
export function calculationWords(step: Schemas["CalculationOut"], carried: Carried[]): string {
  const name = carried.find((c) => c.line === step.line && c.key === step.key)?.name.slice(-1)[0] ?? "no longer carried";
  const unit = step.amount === "1" ? step.unit.slice(0, -1) : step.unit;
  return `${name} ${{ "+": "+", "-": "−", "*": "×", "/": "÷" }[step.sign]} ${step.amount} ${unit}`.trim();
}

/** All carried values that a line uses, for underlining; those within formulas are the server's to know. */
export function usedBy(line: Line | undefined): Ref[] {
  const ofParts = (parts: Part[]): Ref[] => parts.flatMap((p) => (p.ref ? [p.ref] : []));
  const ofTests = (tests: Test[]): Ref[] => tests.flatMap((t) => (t.kind === "condition" ? [t.ref] : t.kind === "group" ? ofTests(t.conditions) : []));
  const ofMaking = (made: Making): Ref[] => {
    if (made.kind === "filled") return ofParts(made.filling);
    if (made.kind === "cite") return [made.authors, made.year, made.title].filter((r): r is Ref => !!r);
    return Array.isArray(made.of) ? made.of : made.of ? [made.of] : [];
  };
  if (line && fillsFields(line)) return line.fillings.flatMap((f) => ofParts(f.filling));
  if (line?.verb === "only_if" || line?.verb === "way") return ofTests(line.conditions);
  if (line?.verb === "repeat") return ofParts(line.collects);
  if (line?.verb === "send_mail") return [line.to, line.subject, ...line.paragraphs].flatMap(ofParts);
  if (line?.verb === "ask") return [...ofParts(line.asking), ...line.shown.flatMap((v) => ofMaking(v.made))];
  if (line?.verb === "stop") return ofParts(line.saying);
  if (line?.verb === "wait") return ofParts(line.filling);
  if (line?.verb === "find") return line.sought.flatMap((s) => ofParts(s.filling));
  return line?.verb === "shape" ? line.values.flatMap((v) => ofMaking(v.made)) : [];
}

const day = (zone: string) => new Intl.DateTimeFormat("en-GB", { weekday: "short", timeZone: zone });
const clock = (zone: string) => new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: zone });
const date = (zone: string) => new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", timeZone: zone });

/** The head of a column: Mon 17:02 within a week, 3 Nov 17:02 before. */
export function columnTime(at: string, zone: string, now = Date.now()): string {
  const then = new Date(at);
  const near = Math.abs(now - then.getTime()) < 6 * 86_400_000;
  return `${(near ? day : date)(zone).format(then)} ${clock(zone).format(then)}`;
}
