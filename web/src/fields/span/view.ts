import { dateTime, day } from "../../parts/dates";
import type { FieldView } from "../fieldView";

/** An interval of ISO 8601, as the server sends it: two days, or two moments. It can be typed back. */
function words(value: unknown, zone: string): string {
  const [start = "", end = ""] = String(value).split("/");
  const timed = start.includes("T");
  const [first, last] = [start, end].map((at) => (timed ? dateTime(at, zone) : day(`${at}T12:00:00Z`, "UTC")));
  if (first === undefined || last === undefined || (first === last && !timed)) return first ?? "";
  const [date = "", clock = ""] = last.split(", ");
  return `${first} – ${timed && first.startsWith(`${date},`) ? clock : last}`;
}

export default { width: 220, reads: (value, _, zone) => words(value, zone), typed: words } satisfies FieldView;
