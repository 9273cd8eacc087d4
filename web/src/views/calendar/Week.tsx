import { useEffect, useRef } from "react";
import { Bar, type Bars } from "./Bar";
import { clock, shortDay, weekday } from "./days";

interface Props extends Bars {
  days: string[];
  /** Of today, as the wall's clock shows it. */
  minute: number | undefined;
}

export const HOUR = 44; // px
const MORNING = 7.5; // the hour that stands at the top
const ROW = 28; // px, of a record that takes whole days

/** Days with their hours down the side; above them what takes whole days. */
export function Week({ days, minute, ...bars }: Props) {
  const { shown, today, dragged } = bars;
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    frame.current?.scrollTo({ top: MORNING * HOUR });
  }, []);
  const whole = shown.filter((one) => !one.has_clock && one.pieces.length > 0);
  const rows = Math.max(0, ...whole.map((one) => one.row + 1));
  const columns = { gridTemplateColumns: `46px repeat(${days.length}, minmax(0, 1fr))` };
  return (
    <div className="week" ref={frame}>
      <div className="heads" style={columns}>
        <span />
        {days.map((day) => (
          <div key={day} className={day === today ? "head-of now" : "head-of"} data-day={day}>
            <b>{weekday(day)}</b>
            <small>{shortDay(day)}</small>
          </div>
        ))}
        {rows > 0 && (
          <>
            <small className="quiet wholedays">whole days</small>
            {days.map((day) => (
              <div key={day} className="wholedays" data-day={day} style={{ height: rows * ROW + 4 }}>
                {whole.flatMap((one) =>
                  one.pieces
                    .filter((piece) => piece.day === day && (piece.begins || day === days[0]))
                    .map((piece) => {
                      const long = one.pieces.filter((p) => p.day >= day && p.day <= (days.at(-1) ?? day)).length;
                      const style = { top: one.row * ROW + 2, height: ROW - 2, width: `calc(${long * 100}% + ${(long - 1) * 1}px - 6px)` };
                      const drawn = { ...piece, ends: true };
                      return <Bar key={one.shown.record.id} {...bars} one={one} piece={drawn} style={style} tellsTime step={{ days: 7 }} />;
                    }),
                )}
              </div>
            ))}
          </>
        )}
      </div>
      <div className="hours" style={{ ...columns, height: 24 * HOUR }}>
        <div className="clockface" aria-hidden="true">
          {Array.from({ length: 23 }, (_, n) => (
            <span key={n} style={{ top: (n + 1) * HOUR - 8 }}>
              {clock((n + 1) * 60)}
            </span>
          ))}
        </div>
        {days.map((day) => (
          <div key={day} className="day-of" data-day={day} data-hour={HOUR}>
            {shown
              .filter((one) => one.has_clock)
              .flatMap((one) =>
                one.pieces
                  .filter((piece) => piece.day === day)
                  .map((piece) => {
                    const wide = 100 / piece.lanes;
                    const style = {
                      top: (piece.start / 60) * HOUR,
                      height: Math.max(((piece.end - piece.start) / 60) * HOUR - 1, 18),
                      left: `${piece.lane * wide}%`,
                      width: `calc(${wide}% - 6px)`,
                    };
                    return <Bar key={one.shown.record.id} {...bars} one={one} piece={piece} style={style} step={{ minutes: 15 }} />;
                  }),
              )}
            {dragged?.target?.day === day && <Ghost minute={dragged.target.minute ?? 0} isEnd={dragged.isEnd} />}
            {day === today && minute !== undefined && <i className="now-line" style={{ top: (minute / 60) * HOUR }} aria-hidden="true" />}
          </div>
        ))}
      </div>
    </div>
  );
}

/** Where what is dragged will stand. */
function Ghost({ minute, isEnd }: { minute: number; isEnd: boolean }) {
  return (
    <div className={isEnd ? "ghost line" : "ghost"} style={{ top: (minute / 60) * HOUR, height: isEnd ? 2 : HOUR }} aria-hidden="true">
      <small>{clock(minute)}</small>
    </div>
  );
}
