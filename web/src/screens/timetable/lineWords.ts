import type { Schemas } from "../../api/client";
import type { App, Database } from "../../api/queries";
import type { Carried, Document, Figure, Line, Own } from "./model";
import { scheduleWords } from "./scheduleRule";

/** What happens in Kelvix itself, in words. */
function ownWords(own: Own, databases: Database[]): { object: string; detail: string } {
  if (own.kind === "schedule") return { object: "a time comes round", detail: scheduleWords(own) };
  if (own.kind === "address")
    return { object: "a request comes in", detail: own.inputs.length === 1 ? "1 value declared" : `${own.inputs.length} values declared` };
  const database = databases.find((d) => d.id === own.database);
  const name = database?.name ?? (own.database ? "a deleted database" : "…");
  const field = (id: string | null | undefined) => database?.fields.find((f) => f.id === id)?.name ?? "a field";
  const waits = [own.quiet > 0 && `quiet for ${own.quiet} s`, own.filled.length > 0 && `${own.filled.map(field).join(", ")} filled`]
    .filter(Boolean)
    .join(", ");
  switch (own.event) {
    case "added":
      return { object: `a record is added to ${name}`, detail: waits };
    case "changed":
      return { object: `a record of ${name} changes`, detail: [own.fields.map(field).join(", "), waits].filter(Boolean).join("; ") };
    case "reached":
      return {
        object: `${own.field ? field(own.field) : "a field"} becomes ${own.becomes || "filled"}`,
        detail: [name, waits].filter(Boolean).join("; "),
      };
    case "button":
      return { object: `“${own.button || "…"}” is pressed`, detail: `on a record of ${name}` };
    case "database_button":
      return { object: `“${own.button || "…"}” is pressed`, detail: `on ${name}` };
  }
}

export const FIGURE_WORDS: Record<Figure["kind"], string> = {
  sum: "sum of",
  average: "average of",
  least: "least",
  greatest: "greatest",
  first: "first",
  last: "last",
};
const STOPS = { done: "here: done", passed_by: "here: passed by", failed: "here: failed" } as const;
const LISTS: Record<string, string> = { attachments: "its attachments" };

/** What starts it; an app's first event where none is said that it has. */
export const eventOf = (app: App | undefined, code: string) => app?.events.find((e) => e.code === code) ?? app?.events[0];

export function sentenceOf(
  line: Line,
  app: App | undefined,
  databases: Database[],
  document?: Document,
): { verb: string; object: string; detail: string } {
  if (line.verb === "when" && line.own) return { verb: "When", ...ownWords(line.own, databases) };
  if (line.verb === "when") {
    const place = line.container_name ? `${app?.name ?? ""} › ${line.container_name}` : `choose the ${app?.container_word ?? "folder"}`;
    return { verb: "When", object: eventOf(app, line.event)?.words ?? "something happens", detail: place };
  }
  if (line.verb === "only_if") {
    const object =
      line.mode === "none"
        ? "none of these"
        : line.conditions.length < 2
          ? "this holds"
          : line.mode === "any"
            ? "any of these"
            : "all of these";
    return { verb: "Only if", object, detail: "" };
  }
  if (line.verb === "shape") {
    const names = line.values.map((v) => v.name || "unnamed").join(", ");
    return {
      verb: "Shape",
      object: line.values.length === 1 ? "a value" : line.values.length ? `${line.values.length} values` : "values",
      detail: names || "add a value",
    };
  }
  if (line.verb === "wait") {
    const unit = line.amount === 1 ? line.unit.slice(0, -1) : line.unit;
    const object = line.kind === "span" ? `${line.amount} ${unit}` : line.kind === "moment" ? "until a time" : "until a working hour";
    return { verb: "Wait", object, detail: line.kind === "working" ? `${line.begins} to ${line.ends}` : "" };
  }
  if (line.verb === "send_mail")
    return {
      verb: "Send",
      object: line.split ? "each their own mail" : "a mail",
      detail: line.subject.map((p) => p.text ?? "…").join("") || "say to whom, and what",
    };
  if (line.verb === "save_file")
    return {
      verb: "Save",
      object: "a file",
      detail: line.container_name ? `into ${line.container_name}` : line.folder.length ? "into a folder by its name" : "choose the folder",
    };
  if (line.verb === "web_request")
    return {
      verb: "Send",
      object: "a web request",
      detail:
        line.address
          .map((p) => p.text ?? "…")
          .join("")
          .replace(/^https?:\/\//, "") || "say to which address",
    };
  if (line.verb === "run_another")
    return {
      verb: "Run",
      object: "another workflow",
      detail: line.given.length > 0 ? `${line.given.length} values given` : "choose which",
    };
  if (line.verb === "ask")
    return { verb: "Ask", object: "for approval", detail: line.asking.map((p) => p.text ?? "…").join("") || "say what is asked" };
  if (line.verb === "decide") return { verb: "Decide", object: "which way to go", detail: "" };
  if (line.verb === "way")
    return { verb: "If", object: line.name || (line.conditions.length < 2 ? "this holds" : `${line.mode} of these`), detail: "" };
  if (line.verb === "otherwise") return { verb: "Otherwise", object: "", detail: "" };
  if (line.verb === "stop") return { verb: "Stop", object: STOPS[line.how], detail: line.saying.map((p) => p.text ?? "…").join("") };
  if (line.verb === "repeat") {
    const of =
      line.of?.value === "records"
        ? `each record of line ${(document?.lines.findIndex((l) => l.id === line.of?.line) ?? 0) + 1}`
        : line.of
          ? `each of ${LISTS[line.of.value] ?? "a list"}`
          : "each of …";
    return { verb: "For", object: of, detail: line.of ? "" : "choose the list" };
  }
  const database = "database" in line ? databases.find((d) => d.id === line.database) : undefined;
  if (line.verb === "find") {
    const names = line.sought.map((s) => database?.fields.find((f) => f.id === s.field)?.name ?? (s.named || "a deleted field"));
    const one = line.several === "all" ? "all records" : "a record";
    const object = database ? `${one} in ${database.name}` : line.database ? `${one} in a deleted database` : `${one} in …`;
    return {
      verb: "Find",
      object,
      detail: database
        ? names.length
          ? `by ${names.join(line.mode === "all" ? " and " : " or ")}`
          : "say what is looked for"
        : "choose the database",
    };
  }
  if (line.verb === "update" || line.verb === "delete") {
    const of = document?.lines.findIndex((l) => l.id === line.of) ?? -1;
    const object = of > 0 ? (document?.lines[of]?.verb === "repeat" ? "each record" : `the record of line ${of + 1}`) : "a record …";
    const detail = line.verb === "delete" ? "to the trash" : line.fillings.length === 1 ? "1 field" : `${line.fillings.length} fields`;
    return { verb: line.verb === "update" ? "Update" : "Delete", object, detail };
  }
  const filled = line.fillings.length;
  const into = line.verb === "add" ? "to" : "in";
  const object = database
    ? `a record ${into} ${database.name}`
    : line.database
      ? `a record ${into} a deleted database`
      : `a record ${into} …`;
  return {
    verb: line.verb === "add" ? "Add" : "Add or update",
    object,
    detail: database ? `${filled} of ${database.fields.length} fields filled` : "choose the database",
  };
}

/** A calculation as words: Date + 3 days. */
export function calculationWords(step: Schemas["CalculationOut"], carried: Carried[]): string {
  const name = carried.find((c) => c.line === step.line && c.key === step.key)?.name.slice(-1)[0] ?? "no longer carried";
  const unit = step.amount === "1" ? step.unit.slice(0, -1) : step.unit;
  return `${name} ${{ "+": "+", "-": "−", "*": "×", "/": "÷" }[step.sign]} ${step.amount} ${unit}`.trim();
}
