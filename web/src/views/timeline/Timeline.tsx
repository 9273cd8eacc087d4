import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import { Bar } from "../calendar/Bar";
import { between, monday, plus, shortDay } from "../calendar/days";
import { Margin } from "../calendar/Margin";
import { Steps } from "../calendar/Steps";
import { useDated, useDay } from "../calendar/useDated";
import type { ShownProps } from "../shownProps";

const WEEKS = 8; // on the rule
const BEFORE = 1; // of them, before the week one looks at
const STEP = 4; // weeks to the next days
const DAY = 22; // px
const ROW = 32; // px
const HEAD = 40; // px
const NARROW = 18; // px, of a bar at least

/** Records on one long rule, weeks above: each in a row of its own, from its first to its last day. */
export function Timeline(props: ShownProps) {
  const { database, zone } = props;
  const { at, today, go } = useDay(zone);
  const first = plus(monday(at), -7 * BEFORE);
  const last = plus(first, 7 * WEEKS - 1);
  const { field, bars, read, date } = useDated(props, first, last, today);
  const frame = useRef<HTMLDivElement>(null);
  const drawn = bars.shown.filter((one) => one.pieces.length > 0);
  const virtual = useVirtualizer({ count: drawn.length, getScrollElement: () => frame.current, estimateSize: () => ROW, overscan: 8 });
  if (!field) return <p className="empty">Choose the field by which records are dated, under Change view.</p>;
  const days = Array.from({ length: WEEKS * 7 }, (_, n) => plus(first, n));
  const wide = days.length * DAY;
  const { target, isEnd } = bars.dragged ?? { target: null, isEnd: false };
  return (
    <section className="calendar fill" aria-label={`${database.name} by ${field.name}`}>
      <Steps
        name={`${shortDay(first)} – ${shortDay(last)} ${last.slice(0, 4)}`}
        read={read}
        onStep={(by) => go({ at: plus(at, by * STEP * 7) })}
        onToday={() => go({ at: today })}
      />
      <div className="dated">
        <div ref={frame} className="timeline">
          <div className="ruler" style={{ width: wide, height: Math.max(virtual.getTotalSize() + HEAD, 200) }}>
            {days.map((day, n) => (
              <div
                key={day}
                className={`tick${n % 7 === 0 ? " week-of" : ""}${n % 7 > 4 ? " rest" : ""}${day === bars.today ? " now" : ""}${target?.day === day ? " aimed" : ""}`}
                data-day={day}
                style={{ left: n * DAY, width: DAY }}
              />
            ))}
            <div className="weeks-above">
              {days
                .filter((_, n) => n % 7 === 0)
                .map((day) => (
                  <b key={day} style={{ width: 7 * DAY }}>
                    {shortDay(day)}
                  </b>
                ))}
            </div>
            {virtual.getVirtualItems().map((item) => {
              const one = drawn[item.index];
              const [begin, end] = [one?.pieces[0], one?.pieces.at(-1)];
              if (!one || !begin || !end) return null;
              const left = between(first, begin.day) * DAY;
              const style = {
                top: item.start + HEAD + 4,
                left,
                width: Math.max((between(begin.day, end.day) + 1) * DAY - 2, NARROW),
                height: ROW - 6,
              };
              const piece = { ...begin, ends: end.ends };
              return (
                <Bar key={one.shown.record.id} {...bars} field={field} one={one} piece={piece} style={style} tellsTime step={{ days: 7 }} />
              );
            })}
            {target && isEnd && <i className="aim" aria-hidden="true" style={{ left: (between(first, target.day) + 1) * DAY }} />}
          </div>
        </div>
        <Margin {...bars} field={field} calendar={read.data} onDate={(record) => date(record, { day: at })} />
      </div>
    </section>
  );
}
