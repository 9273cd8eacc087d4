/** Days as the server tells them, 2026-11-23, and reckoning with them; none of it knows a zone. */

const ms = (day: string) => Date.parse(`${day}T00:00:00Z`);
const dayOf = (at: number) => new Date(at).toISOString().slice(0, 10);

export const plus = (day: string, days: number) => dayOf(ms(day) + days * 86_400_000);
export const between = (from: string, to: string) => Math.round((ms(to) - ms(from)) / 86_400_000);
/** The Monday of a day's week. */
export const monday = (day: string) => plus(day, -((new Date(ms(day)).getUTCDay() + 6) % 7));
export const monthStart = (day: string) => `${day.slice(0, 8)}01`;
export const plusMonths = (day: string, months: number) => {
  const [year = 0, month = 1] = day.split("-").map(Number);
  return dayOf(Date.UTC(year, month - 1 + months, 1));
};

const said = (day: string, options: Intl.DateTimeFormatOptions) =>
  new Date(ms(day)).toLocaleDateString("en-GB", { ...options, timeZone: "UTC" });
export const weekday = (day: string) => said(day, { weekday: "short" });
export const shortDay = (day: string) => said(day, { day: "numeric", month: "short" }).replace("Sept", "Sep");
export const longDay = (day: string) => said(day, { weekday: "long", day: "numeric", month: "long", year: "numeric" }).replace(",", ""); // which some browsers add
export const monthName = (day: string) => said(day, { month: "long", year: "numeric" });

export const clock = (minute: number) => `${String(Math.floor(minute / 60)).padStart(2, "0")}:${String(minute % 60).padStart(2, "0")}`;

/** A time of the wall's clock as a minute since the epoch, and back as it is typed. */
export const minuteOf = (local: string) => Math.round(Date.parse(`${local.slice(0, 16)}Z`) / 60_000);
export const localOf = (minute: number) => new Date(minute * 60_000).toISOString().slice(0, 16);
