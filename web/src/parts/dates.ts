interface Parts {
  weekday: string; // Mon
  day: string; // 3
  month: string; // Nov
  year: string;
  time: string; // 17:02
  second: string;
}
const formats = new Map<string, Intl.DateTimeFormat>();

/**
 * A date by its parts, in a zone. All come of one format for each zone, made once: making one takes far longer than using it, and a
 * screen has a hundred dates.
 */
export function parts(at: Date, zone: string): Parts {
  let format = formats.get(zone);
  if (!format) {
    const all = {
      weekday: "short",
      day: "numeric",
      month: "short",
      year: "numeric",
      hour: "2-digit",
      minute: "2-digit",
      second: "2-digit",
    } as const;
    formats.set(zone, (format = new Intl.DateTimeFormat("en-GB", { ...all, timeZone: zone })));
  }
  const found = Object.fromEntries(format.formatToParts(at).map((part) => [part.type, part.value]));
  const { weekday = "", day = "", month = "", year = "", hour = "", minute = "", second = "" } = found;
  return { weekday, day, month: month.slice(0, 3), year, time: `${hour}:${minute}`, second };
}

/** Dates as the workspace shows them: 23 Nov 2026, 17:02. */
export function dateTime(at: string, zone: string): string {
  const then = new Date(at);
  return Number.isNaN(then.getTime()) ? at : `${day(at, zone)}, ${parts(then, zone).time}`;
}

export function day(at: string, zone: string): string {
  const then = new Date(at);
  if (Number.isNaN(then.getTime())) return at;
  const found = parts(then, zone);
  return `${found.day} ${found.month} ${found.year}`;
}

export function seconds(at: string, zone: string): string {
  const found = parts(new Date(at), zone);
  return `${found.time}:${found.second}`;
}

const STEPS: [number, Intl.RelativeTimeFormatUnit][] = [
  [60, "second"],
  [60, "minute"],
  [24, "hour"],
  [30, "day"],
  [12, "month"],
  [Infinity, "year"],
];

let words: Intl.RelativeTimeFormat | undefined;

/** The relative form: 3 minutes ago, yesterday, in 2 days. */
export function relative(at: string, now = Date.now()): string {
  words ??= new Intl.RelativeTimeFormat("en-GB", { numeric: "auto" });
  let amount = (new Date(at).getTime() - now) / 1000;
  for (const [size, unit] of STEPS) {
    if (Math.abs(amount) < size) return words.format(Math.round(amount), unit);
    amount /= size;
  }
  return "";
}

/** How long something has gone on by now: for 12 min. */
export function lasting(since: string, now = Date.now()): string {
  return `for ${span((now - new Date(since).getTime()) / 1000)}`;
}

/** A span in its largest fitting unit: 320 ms, 4.2 s, 12 min, 3 h, 2 days. */
export function span(of: number): string {
  if (of < 1) return `${Math.max(0, Math.round(of * 1000))} ms`;
  if (of < 90) return `${Math.round(of * 10) / 10} s`;
  if (of < 5400) return `${Math.round(of / 60)} min`;
  if (of < 172_800) return `${Math.round(of / 3600)} h`;
  return `${Math.round(of / 86_400)} days`;
}
