import type { ShownProps } from "../shownProps";
import { longDay, monday, monthName, monthStart, plus, plusMonths, shortDay } from "./days";
import { Margin } from "./Margin";
import { Month } from "./Month";
import { Steps } from "./Steps";
import { useDated, useDay } from "./useDated";
import { Week } from "./Week";

type Range = "day" | "week" | "month";

const RANGES: Range[] = ["day", "week", "month"];
const WEEKS = 6; // of a month's sheet

/** The first and the last day that are shown. */
function daysOf(range: Range, at: string): [first: string, last: string] {
  if (range === "day") return [at, at];
  if (range === "week") return [monday(at), plus(monday(at), 6)];
  const first = monday(monthStart(at));
  return [first, plus(first, WEEKS * 7 - 1)];
}

/** A day, a week or a month of records by a date, with a margin of those that have none. */
export function Calendar(props: ShownProps) {
  const { database, zone } = props;
  const { at, today, range: asked, go } = useDay(zone);
  const range = RANGES.find((r) => r === asked) ?? "week";
  const [first, last] = daysOf(range, at);
  const { field, bars, read, date } = useDated(props, first, last, today);
  if (!field) return <p className="empty">Choose the field by which records are dated, under Change view.</p>;
  const step = (by: number) => go({ at: range === "month" ? plusMonths(at, by) : plus(at, by * (range === "week" ? 7 : 1)) });
  const name = range === "month" ? monthName(at) : range === "day" ? longDay(at) : `Week of ${shortDay(first)} ${first.slice(0, 4)}`;
  return (
    <section className="calendar fill" aria-label={`${database.name} by ${field.name}`}>
      <Steps name={name} read={read} onStep={step} onToday={() => go({ at: today })}>
        <span className="row close" role="group" aria-label="Days shown">
          {RANGES.map((r) => (
            <button
              key={r}
              className={r === range ? "link round here" : "link round"}
              aria-pressed={r === range}
              onClick={() => go({ range: r })}
            >
              {r}
            </button>
          ))}
        </span>
      </Steps>
      <div className="dated">
        {range === "month" ? (
          <Month {...bars} field={field} first={first} month={at.slice(0, 7)} onDay={(day) => go({ range: "day", at: day })} />
        ) : (
          <Week
            {...bars}
            field={field}
            days={range === "day" ? [at] : Array.from({ length: 7 }, (_, n) => plus(first, n))}
            minute={read.data?.minute}
          />
        )}
        <Margin {...bars} field={field} calendar={read.data} onDate={(record) => date(record, { day: at })} />
      </div>
    </section>
  );
}
