import type { FieldView } from "../fieldView";

const SENT = /^(-?)P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:\.\d+)?S)?)?$/;
const UNITS = ["day", "hour", "minute", "second"];

/** Of ISO 8601, as the server sends it: 1 day, 2 hours; and so it can be typed back. */
function words(value: unknown): string {
  const found = SENT.exec(String(value));
  if (!found) return String(value);
  const parts = UNITS.map((unit, n) => [Number(found[n + 2] ?? 0), unit] as const).filter(([number]) => number > 0);
  return (
    (found[1] ? "minus " : "") + (parts.map(([number, unit]) => `${number} ${unit}${number === 1 ? "" : "s"}`).join(", ") || "0 minutes")
  );
}

export default { width: 150, isNumber: true, reads: words, typed: words } satisfies FieldView;
