import { carriedName } from "./carried";
import { sameRef, type Rehearsal, type Test } from "./model";

const BETWEEN = { all: " and ", any: " or ", none: " or " } as const;

/** The conditions of a line in words: Subject mentions “quote”, “estimate” · To is works@… */
export function conditionWords(line: { conditions: Test[] }, rehearsal: Rehearsal | undefined): string {
  if (line.conditions.length === 0) return "Add condition";
  return line.conditions.map((c) => testWords(c, rehearsal)).join(" · ");
}

function testWords(test: Test, rehearsal: Rehearsal | undefined): string {
  if (test.kind === "formula") return rehearsal?.formulas[test.tree]?.text ?? test.text;
  if (test.kind === "group") {
    const inner = test.conditions.map((c) => testWords(c, rehearsal)).join(BETWEEN[test.mode]);
    return test.mode === "none" ? `none of (${inner})` : `(${inner})`;
  }
  const known = rehearsal?.carried.find((k) => sameRef({ line: k.line, value: k.key }, test.ref));
  const words = test.words.map((w) => `“${w}”`).join(", ");
  const name = rehearsal ? (known ? carriedName(known, rehearsal.carried) : "?") : "…"; // not known yet
  return `${name} ${rehearsal?.operator_words[test.operator] ?? test.operator} ${words}`.trim();
}
