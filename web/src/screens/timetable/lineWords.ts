import type { Schemas } from "../../api/client";
import type { App } from "../../api/queries";
import type { Carried, Figure } from "./model";

export const FIGURE_WORDS: Record<Figure["kind"], string> = {
  sum: "sum of",
  average: "average of",
  least: "smallest",
  greatest: "largest",
  first: "first",
  last: "last",
};

/** What starts it; an app's first event where none is said that it has. */
export const eventOf = (app: App | undefined, code: string) => app?.events.find((e) => e.code === code) ?? app?.events[0];

/** A simple formula as words: Date + 3 days; Name, if empty “friend”; Date › time. None for another. */
export function formulaWords(kept: Schemas["FormulaOut"] | undefined, carried: Carried[]): string | undefined {
  const named = (of: { line: string; key: string }) =>
    carried.find((c) => c.line === of.line && c.key === of.key)?.name.slice(-1)[0] ?? "no longer available";
  if (kept?.fallback) return `${named(kept.fallback)}, if empty “${kept.fallback.text}”`;
  if (kept?.part) return `${named(kept.part)} › ${kept.part.part}`;
  if (!kept?.calculation) return undefined;
  const step = kept.calculation;
  const name = named(step);
  const unit = step.amount === "1" ? step.unit.slice(0, -1) : step.unit;
  return `${name} ${{ "+": "+", "-": "−", "*": "×", "/": "÷" }[step.sign]} ${step.amount} ${unit}`.trim();
}
