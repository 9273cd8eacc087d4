import type { Schemas } from "../../api/client";
import { between, localOf, minuteOf, plus, shortDay } from "./days";

export type Dated = Schemas["DatedRecord"];

const SHORTEST = 15; // minutes
const MORNING = 9 * 60; // the minute of a day at which a moment is put where no hours are drawn

/** Where a record is put: a day, and a minute of it where the day has hours. */
export interface Target {
  day: string;
  minute?: number;
}

const isSpan = (value: unknown) => String(value).includes("/");
const said = (local: string, clocked: boolean) =>
  `${shortDay(local.slice(0, 10))} ${local.slice(0, 4)}${clocked ? `, ${local.slice(11, 16)}` : ""}`;
/** As one types it, by the clock on the wall: the server knows the zone. */
const written = (one: { start: string; end: string }, clocked: boolean, spans: boolean) =>
  spans ? `${said(one.start, clocked)} – ${said(one.end, clocked)}` : said(one.start, clocked);

/** What the field of a record becomes when it is moved by some days and minutes, as it is typed: its length stays. */
export function movedBy(one: Dated, value: unknown, days: number, minutes = 0): string {
  const by = days * 24 * 60 + (one.has_clock ? minutes : 0);
  return written({ start: localOf(minuteOf(one.start) + by), end: localOf(minuteOf(one.end) + by) }, one.has_clock, isSpan(value));
}

/** What it becomes when it is dragged from one place to another: by so many days, and minutes where both have hours. */
export function movedTo(one: Dated, value: unknown, from: Target, to: Target): string {
  const minutes = from.minute === undefined || to.minute === undefined ? 0 : to.minute - from.minute;
  return movedBy(one, value, between(from.day, to.day), minutes);
}

/** What it becomes when its end is put somewhere; nothing where it has none. */
export function stretchedTo(one: Dated, value: unknown, target: Target): string | null {
  if (!isSpan(value)) return null;
  if (!one.has_clock) {
    const end = target.day < one.start.slice(0, 10) ? one.start : target.day;
    return written({ start: one.start, end }, false, true);
  }
  const end = Math.max(minuteOf(`${target.day}T00:00`) + (target.minute ?? 0), minuteOf(one.start) + SHORTEST);
  return written({ start: one.start, end: localOf(end) }, true, true);
}

/** What it becomes when its end moves by some days and minutes. */
export function stretchedBy(one: Dated, value: unknown, days: number, minutes: number): string | null {
  const end = localOf(minuteOf(one.end) + minutes);
  return stretchedTo(one, value, { day: plus(end.slice(0, 10), days), minute: minuteOf(end) - minuteOf(`${end.slice(0, 10)}T00:00`) });
}

/** What an empty field becomes when its record is put somewhere. */
export function dated(target: Target, takesClock: boolean, takesSpan: boolean): string {
  const minute = target.minute ?? (takesSpan ? undefined : MORNING);
  if (minute === undefined || (!takesClock && !takesSpan)) return written({ start: target.day, end: target.day }, false, takesSpan);
  const start = minuteOf(`${target.day}T00:00`) + minute;
  return written({ start: localOf(start), end: localOf(start + 60) }, true, takesSpan);
}
