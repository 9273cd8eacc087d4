import { sameRef, type OnlyIf, type Rehearsal } from "./model";

/** An Only if line's conditions in words: Subject mentions “quote”, “estimate” · To is works@… */
export function conditionWords(line: OnlyIf, rehearsal: Rehearsal | undefined): string {
  if (line.conditions.length === 0) return "add a condition";
  return line.conditions
    .map((c) => {
      const known = rehearsal?.carried.find((k) => sameRef({ line: k.line, value: k.key }, c.ref));
      const words = c.words.map((w) => `“${w}”`).join(", ");
      return `${known?.name.slice(1).join(" › ") ?? "?"} ${rehearsal?.operator_words[c.operator] ?? c.operator} ${words}`.trim();
    })
    .join(" · ");
}
