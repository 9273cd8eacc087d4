import { parts } from "../../parts/dates";
import type { TodayOut } from "./queries";

export type Day = TodayOut["days"][number];

export function dayWords(of: string): string {
  const { weekday, day, month } = parts(new Date(`${of}T12:00:00Z`), "UTC");
  return `${weekday} ${day} ${month}`;
}

/** A share in per cent, without a lie at the upper end: 99.96 is no 100. */
export function percent(share: number | null): string {
  if (share === null) return "–";
  const rounded = Math.round(share * 1000) / 10;
  return `${share < 1 && rounded === 100 ? 99.9 : rounded}%`;
}
