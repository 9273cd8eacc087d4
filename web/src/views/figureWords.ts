import type { Schemas } from "../api/client";
import type { Field } from "../api/queries";
import { reads } from "../fields";

type Wire = Schemas["FiguresOut"]["totals"][number][number];

/** How a total reads: a figure of each currency, or nothing where no record is filled in. */
export function figureReads(field: Field | undefined, figure: string, values: Wire[] | undefined, zone: string): string {
  if (!field || !values) return "";
  if (figure === "filled") return String(values[0] ?? 0);
  return values.map((one) => reads(field, one, zone)).join(" · ");
}
