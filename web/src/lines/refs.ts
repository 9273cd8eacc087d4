import type { Fills, Making, Part, Ref, Test } from "../screens/timetable/model";

export const ofParts = (parts: Part[]): Ref[] => parts.flatMap((p) => (p.ref ? [p.ref] : []));

export const ofTests = (tests: Test[]): Ref[] =>
  tests.flatMap((t) => (t.kind === "condition" ? [t.ref] : t.kind === "group" ? ofTests(t.conditions) : []));

export function ofMaking(made: Making): Ref[] {
  if (made.kind === "filled") return ofParts(made.filling);
  if (made.kind === "cite") return [made.authors, made.year, made.title].filter((r): r is Ref => !!r);
  return Array.isArray(made.of) ? made.of : made.of ? [made.of] : [];
}

export const ofFields = (line: Fills): Ref[] => line.fillings.flatMap((f) => ofParts(f.filling));

/** Text and values mixed, as words. */
export const inWords = (parts: Part[]): string => parts.map((p) => p.text ?? "…").join("");
