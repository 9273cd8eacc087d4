import type { Database } from "../../api/queries";

/** A container of a database or an app, as a web address names it: d5, or c3.12 for the twelfth container of the third connection. */
export type Place = { kind: "database"; id: number } | { kind: "app"; connection: number; container: string };

/** Where what a line works on is seen beside the source. */
export const placeOf = ({ id, outside }: Database): Place =>
  outside ? { kind: "app", connection: outside.connection, container: outside.place } : { kind: "database", id };

export const write = (place: Place | null) =>
  place === null ? "" : place.kind === "database" ? `d${place.id}` : `c${place.connection}.${place.container}`;

export function read(text: string | null): Place | null {
  const database = /^d(\d+)$/.exec(text ?? "");
  if (database) return { kind: "database", id: Number(database[1]) };
  const app = /^c(\d+)\.(.+)$/.exec(text ?? "");
  return app?.[2] ? { kind: "app", connection: Number(app[1]), container: app[2] } : null;
}
