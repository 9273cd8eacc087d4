import { day, span } from "../../parts/dates";
import { useVolume, type Mirror } from "./queries";

const DAYS = 28;
const DAY = 86_400_000;

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
  const first = day(days[0]?.day ?? "", zone);
  const last = day(days.at(-1)?.day ?? "", zone);
  return (
    <div className="volumes">
      <figure className="volume" aria-label="What crossed on each day">
        <figcaption>
          Crossed in a day, at most {most.toLocaleString("en-GB")}: <i className="to-right" /> to {mirror.right.name}{" "}
          <i className="to-left" /> to {mirror.left.name}
        </figcaption>
        <div className="bars">
          {days.map((d) => (
            <span key={d.day} title={`${day(d.day, zone)}: ${d.to_left} to ${mirror.left.name}, ${d.to_right} to ${mirror.right.name}`}>
              <i className="to-right" style={{ height: `${(d.to_right / most) * 100}%` }} />
              <i className="to-left" style={{ height: `${(d.to_left / most) * 100}%` }} />
            </span>
          ))}
        </div>
        <div className="ends">
          <span>{first}</span>
          <span>{last}</span>
        </div>
      </figure>
      <figure className="volume" aria-label="How long edits took on each day">
        <figcaption>Time to cross, typically, at most {span(longest / 1000)}</figcaption>
        <div className="bars">
          {days.map((d) => (
            <span
              key={d.day}
              title={
                d.typical === null
                  ? `${day(d.day, zone)}: no edits`
                  : `${day(d.day, zone)}: ${span(d.typical / 1000)} typically, ${span((d.worst ?? 0) / 1000)} at worst`
              }
            >
              <i className="took" style={{ height: `${((d.typical ?? 0) / longest) * 100}%` }} />
            </span>
          ))}
        </div>
        <div className="ends">
          <span>{first}</span>
          <span>{last}</span>
        </div>
      </figure>
    </div>
  );
}
