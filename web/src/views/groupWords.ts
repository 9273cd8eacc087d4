import type { Field } from "../api/queries";
import { reads } from "../fields";
import { figureReads } from "./figureWords";
import type { Figures, View } from "./queries";

type Group = Figures["groups"][number];

const MONTH = /^(\d{4})-(\d{2})$/;

/** How a group is called: by what its records have in the field. */
export function groupName(field: Field | undefined, group: Group | undefined, key: string | null, zone: string): string {
  if (!field) return "";
  if (key === null) return `No ${field.name}`;
  const month = MONTH.exec(key);
  if (month)
    return new Date(Date.UTC(Number(month[1]), Number(month[2]) - 1)).toLocaleDateString("en-GB", {
      month: "long",
      year: "numeric",
      timeZone: "UTC",
    });
  return (group ? reads(field, group.value, zone) : field.choices.find((c) => c.id === key)?.name) ?? key;
}

/** The totals of a group as they read, those left out that have nothing. */
export function groupTotals(fields: Field[], totals: NonNullable<View["totals"]>, values: Group["totals"], zone: string): string[] {
  return totals.flatMap(
    (t, n) =>
      figureReads(
        fields.find((f) => f.id === t.field),
        t.figure ?? "sum",
        values[n],
        zone,
      ) || [],
  );
}
