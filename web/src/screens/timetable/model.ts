import type { Schemas } from "../../api/client";
import { newKey } from "../../api/key";
import { parts } from "../../parts/dates";

export type Document = Schemas["Workflow"];
export type When = Schemas["When"];
export type RecordEvent = Schemas["RecordEvent"];
export type Watch = Schemas["Watch"];
export type Schedule = Schemas["Schedule"];
export type Address = Schemas["Address"];
export type Own = RecordEvent | Schedule | Address;
export type OnlyIf = Schemas["OnlyIf"];
export type Add = Schemas["Add"];
export type AddOrUpdate = Schemas["AddOrUpdate"];
export type Update = Schemas["Update"];
export type Delete = Schemas["Delete"];
export type Adds = Add | AddOrUpdate;
export type Do = Schemas["Do"];
export type Fills = Adds | Update | Do;
export type Shape = Schemas["Shape"];
export type Find = Schemas["Find"];
export type Get = Schemas["Get"];
export type ListValues = Schemas["ListValues"];
export type Wait = Schemas["Wait"];
export type Decide = Schemas["Decide"];
export type Way = Schemas["Way"];
export type Otherwise = Schemas["Otherwise"];
export type Repeat = Schemas["Repeat"];
export type Ask = Schemas["Ask"];
export type SendMail = Schemas["SendMail"];
export type SaveFile = Schemas["SaveFile"];
export type WebRequest = Schemas["WebRequest"];
export type RunAnother = Schemas["RunAnother"];
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

export const newId = () => newKey().slice(0, 8);
export const sameRef = (a: Ref | null | undefined, b: Ref | null | undefined) => !!a && !!b && a.line === b.line && a.value === b.value;

export function whenOf(document: Document): When {
  return document.lines[0] as When;
}

export function replaceLine(document: Document, line: Line): Document {
  return { lines: document.lines.map((l) => (l.id === line.id ? line : l)) };
}

export const fillsFields = (line: Line | undefined): line is Fills => !!line && "fillings" in line;

export function fillingOf(line: Fills, field: string): Part[] {
  return line.fillings.find((f) => f.field === field)?.filling ?? [];
}

/** With other fillings for some fields; an empty one takes the field's filling away. */
export function fill<L extends Fills>(line: L, fills: { field: string; filling: Part[] }[]): L {
  const named = new Set(fills.map((f) => f.field));
  const empty = (field: string) => line.fillings.find((f) => f.field === field)?.empty ?? "leave";
  return {
    ...line,
    fillings: [
      ...line.fillings.filter((f) => !named.has(f.field)),
      ...fills.filter((f) => f.filling.length > 0).map(({ field, filling }) => ({ field, filling, named: "", empty: empty(field) })),
    ],
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

/** The head of a column: Mon 17:02 within a week, 3 Nov 17:02 before. */
export function columnTime(at: string, zone: string, now = Date.now()): string {
  const then = new Date(at);
  const near = Math.abs(now - then.getTime()) < 6 * 86_400_000;
  const { weekday, day, month, time } = parts(then, zone);
  return `${near ? weekday : `${day} ${month}`} ${time}`;
}
