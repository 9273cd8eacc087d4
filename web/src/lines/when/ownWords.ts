import type { Database } from "../../api/queries";
import type { Own } from "../../screens/timetable/model";
import { scheduleWords } from "../../screens/timetable/scheduleRule";

/** What happens in Kelvix itself, in words. */
export function ownWords(own: Own, databases: Database[]): { object: string; detail: string } {
  if (own.kind === "schedule") return { object: "a scheduled time arrives", detail: scheduleWords(own) };
  if (own.kind === "address")
    return { object: "a request arrives", detail: own.inputs.length === 1 ? "1 value declared" : `${own.inputs.length} values declared` };
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
