import type { Field, Wire } from "../../api/queries";
import { dateTime, day } from "../../parts/dates";

/** How a value reads in a table or beside a record. */
export function reads(field: Field, value: Wire | undefined, zone: string): string {
  if (value == null || value === "") return "";
  switch (field.type) {
    case "datetime":
      return dateTime(String(value), zone);
    case "date":
      return day(`${String(value)}T12:00:00Z`, "UTC");
    case "choice":
      return field.choices.find((c) => c.id === value)?.name ?? "a choice since taken away";
    case "labels":
      return labelNames(field, value).join(", ");
    case "file":
      return Array.isArray(value) ? (value[0] ?? "") : "";
    case "yes_no":
      return value ? "yes" : "no";
    case "number":
      return String(value).replace(/\B(?=(\d{3})+(?!\d))(?<!\.\d*)/g, ",");
    default:
      return String(value);
  }
}

/** The names of a record's labels; one that was taken away since has none. */
export function labelNames(field: Field, value: Wire | undefined): string[] {
  return Array.isArray(value) ? value.flatMap((id) => field.choices.find((c) => c.id === id)?.name ?? []) : [];
}

/** What an editing box begins with: what can be typed back and understood. */
export function typed(field: Field, value: Wire | undefined, zone: string): string {
  if (value == null) return "";
  return field.type === "datetime" ? dateTime(String(value), zone) : field.type === "yes_no" ? (value ? "yes" : "no") : String(value);
}

export const WIDE = 190;
export const WIDTHS: Record<string, number> = {
  text: 190, long_text: 240, number: 100, date: 112, datetime: 152, choice: 110, email: 190, link: 180, yes_no: 80, labels: 170, file: 180,
};
