import type { Schemas } from "../../api/client";
import type { App } from "../../api/queries";
import type { Carried, Figure } from "./model";

export const FIGURE_WORDS: Record<Figure["kind"], string> = {
  sum: "sum of",
  average: "average of",
  least: "least",
  greatest: "greatest",
  first: "first",
  last: "last",
};

/** What starts it; an app's first event where none is said that it has. */
export const eventOf = (app: App | undefined, code: string) => app?.events.find((e) => e.code === code) ?? app?.events[0];

/** A calculation as words: Date + 3 days. */
export function calculationWords(step: Schemas["CalculationOut"], carried: Carried[]): string {
  const name = carried.find((c) => c.line === step.line && c.key === step.key)?.name.slice(-1)[0] ?? "no longer carried";
  const unit = step.amount === "1" ? step.unit.slice(0, -1) : step.unit;
  return `${name} ${{ "+": "+", "-": "−", "*": "×", "/": "÷" }[step.sign]} ${step.amount} ${unit}`.trim();
}
