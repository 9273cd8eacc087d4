import type { App, Database, Field } from "../../api/queries";
import type { Watch, When } from "../../screens/timetable/model";

/** A field that can be watched: of a record, or of an item of an app. */
export interface WatchedField {
  id: string;
  name: string;
  type: string;
  choices: string[];
}

export const NO_WATCH: Watch = { fields: [], field: null, was: "", becomes: "", quiet: 0, filled: [] };

export const watchable = (fields: Field[]): WatchedField[] =>
  fields.filter((f) => f.counts).map((f) => ({ id: f.id, name: f.name, type: f.type, choices: f.choices.map((c) => c.name) }));

/** Of what a When line watches in an app: the fields of its place, where each has its own, else those that all its items have. */
export function watchedFields(line: When, app: App | undefined, places: Database[]): WatchedField[] {
  const place = places.find((p) => p.outside?.connection === line.connection && p.outside?.place === line.container);
  if (place) return watchable(place.fields);
  return (app?.fields ?? []).map((f) => ({ id: f.key, name: f.name.slice(-1)[0] ?? f.key, type: f.type, choices: [] }));
}

/** What a When line says of what it watches, beside its event. */
export function watchWords(line: When, fields: WatchedField[]): { reached: string; detail: string } {
  const { watch } = line;
  const field = (id: string | null | undefined) => fields.find((f) => f.id === id)?.name ?? "a field";
  const waits = [
    watch.quiet > 0 && `quiet for ${watch.quiet} s`,
    watch.filled.length > 0 && `${watch.filled.map(field).join(", ")} filled`,
  ];
  const changed = line.event === "changed" && watch.fields.map(field).join(", ");
  return {
    reached: line.event === "reached" && watch.field ? `${field(watch.field)} becomes ${watch.becomes || "filled"}` : "",
    detail: [changed, ...waits].filter(Boolean).join("; "),
  };
}
