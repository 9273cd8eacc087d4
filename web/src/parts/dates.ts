/** Dates as the workspace shows them: 23 Nov 2026, 17:02. */
export function dateTime(at: string, zone: string): string {
  const then = new Date(at);
  if (Number.isNaN(then.getTime())) return at;
  return `${day(at, zone)}, ${new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: zone }).format(then)}`;
}

export function day(at: string, zone: string): string {
  const then = new Date(at);
  const parts = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: zone });
  return Number.isNaN(then.getTime()) ? at : parts.format(then).replace("Sept", "Sep");
}

export function seconds(at: string, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit", timeZone: zone }).format(new Date(at));
}

const STEPS: [number, Intl.RelativeTimeFormatUnit][] = [
  [60, "second"],
  [60, "minute"],
  [24, "hour"],
  [30, "day"],
  [12, "month"],
  [Infinity, "year"],
];

/** The relative form: 3 minutes ago, yesterday, in 2 days. */
export function relative(at: string, now = Date.now()): string {
  let amount = (new Date(at).getTime() - now) / 1000;
  const words = new Intl.RelativeTimeFormat("en-GB", { numeric: "auto" });
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
