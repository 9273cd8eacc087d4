import type { Schedule } from "./model";

/** A schedule that plain choices can say. */
export interface Ordinary {
  interval: number;
  unit: "MINUTELY" | "HOURLY" | "DAILY" | "WEEKLY" | "MONTHLY" | "YEARLY";
  days: string[];
}

export const UNITS: Record<Ordinary["unit"], string> = {
  MINUTELY: "minutes",
  HOURLY: "hours",
  DAILY: "days",
  WEEKLY: "weeks, on",
  MONTHLY: "months, on this day",
  YEARLY: "years, on this day",
};
export const DAYS: Record<string, string> = { MO: "Mon", TU: "Tue", WE: "Wed", TH: "Thu", FR: "Fri", SA: "Sat", SU: "Sun" };

/** The plain choices that a rule comes from; none for a rule that says more. */
export function ordinary(own: Schedule): Ordinary | null {
  const parts = new Map(own.rule.split(";").map((p) => p.split("=") as [string, string]));
  const unit = parts.get("FREQ") as Ordinary["unit"] | undefined;
  const days = parts.get("BYDAY")?.split(",") ?? [];
  const known = [...parts.keys()].every((k) => ["FREQ", "INTERVAL", "BYDAY"].includes(k));
  if (!unit || !(unit in UNITS) || !known || days.some((d) => !(d in DAYS)) || (days.length > 0 && unit !== "WEEKLY")) return null;
  return { unit, interval: Number(parts.get("INTERVAL") ?? 1), days };
}

export function ruleOf({ unit, interval, days }: Ordinary): string {
  return [`FREQ=${unit}`, interval > 1 && `INTERVAL=${interval}`, days.length > 0 && `BYDAY=${days.join(",")}`].filter(Boolean).join(";");
}

const ONE: Record<Ordinary["unit"], string> = {
  MINUTELY: "minute",
  HOURLY: "hour",
  DAILY: "day",
  WEEKLY: "week",
  MONTHLY: "month",
  YEARLY: "year",
};

/** A schedule in words: every 2 weeks on Mon, Thu at 08:00. What plain choices cannot say is shown as it is written. */
export function scheduleWords(own: Schedule): string {
  const said = own.cron ? null : ordinary(own);
  if (!said) return own.cron || own.rule;
  const every = said.interval > 1 ? `every ${said.interval} ${ONE[said.unit]}s` : `every ${ONE[said.unit]}`;
  const on = said.days.length > 0 ? ` on ${said.days.map((d) => DAYS[d]).join(", ")}` : "";
  const at = said.unit === "HOURLY" || said.unit === "MINUTELY" ? "" : ` at ${own.start.slice(11, 16)}`;
  return `${every}${on}${at}`;
}
