import type { ReactNode } from "react";
import { day, span } from "../../parts/dates";
import { useVolume, type Mirror } from "./queries";

const DAYS = 28;
const DAY = 86_400_000;

/** What a day's bar is made of, from the top, each part a share of the tallest; and what is said of it. */
interface Bar {
  day: string;
  words: string;
  parts: [look: string, share: number][];
}

/** How much crossed to each side on each of the last days, and how long that took, as two rows of bars. */
export function Volume({ mirror, zone }: { mirror: Mirror; zone: string }) {
  const read = useVolume(mirror.id);
  const known = new Map(read.data?.map((one) => [one.day, one]));
  if (known.size === 0) return null;
  const days = Array.from({ length: DAYS }, (_, n) => {
    const date = new Date(read.dataUpdatedAt - (DAYS - 1 - n) * DAY).toISOString().slice(0, 10);
    return known.get(date) ?? { day: date, to_left: 0, to_right: 0, typical: null, worst: null };
  });
  const most = Math.max(1, ...days.map((d) => d.to_left + d.to_right));
  const longest = Math.max(1, ...days.map((d) => d.typical ?? 0));
  const crossed = days.map((d): Bar => ({
    day: d.day,
    words: `${d.to_left} to ${mirror.left.name}, ${d.to_right} to ${mirror.right.name}`,
    parts: [
      ["to-right", d.to_right / most],
      ["to-left", d.to_left / most],
    ],
  }));
  const took = days.map((d): Bar => ({
    day: d.day,
    words: d.typical === null ? "no edits" : `${span(d.typical / 1000)} typically, ${span((d.worst ?? 0) / 1000)} at worst`,
    parts: [["took", (d.typical ?? 0) / longest]],
  }));
  return (
    <div className="volumes">
      <Bars label="What crossed on each day" bars={crossed} zone={zone}>
        Crossed in a day, at most {most.toLocaleString("en-GB")}: <i className="to-right" /> to {mirror.right.name}{" "}
        <i className="to-left" /> to {mirror.left.name}
      </Bars>
      <Bars label="How long edits took on each day" bars={took} zone={zone}>
        Time to cross, typically, at most {span(longest / 1000)}
      </Bars>
    </div>
  );
}

function Bars({ label, bars, zone, children }: { label: string; bars: Bar[]; zone: string; children: ReactNode }) {
  return (
    <figure className="volume" aria-label={label}>
      <figcaption>{children}</figcaption>
      <div className="bars">
        {bars.map((bar) => (
          <span key={bar.day} title={`${day(bar.day, zone)}: ${bar.words}`}>
            {bar.parts.map(([look, share]) => (
              <i key={look} className={look} style={{ height: `${share * 100}%` }} />
            ))}
          </span>
        ))}
      </div>
      <div className="ends">
        <span>{day(bars[0]?.day ?? "", zone)}</span>
        <span>{day(bars.at(-1)?.day ?? "", zone)}</span>
      </div>
    </figure>
  );
}
