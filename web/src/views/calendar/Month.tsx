import { Bar, type Bars } from "./Bar";
import { longDay, plus, weekday } from "./days";

interface Props extends Bars {
  first: string;
  month: string;
  onDay: (day: string) => void;
}

const WEEKS = 6;
const TOLD = 3; // records of a day that are drawn; the others are counted

/** A sheet of weeks. */
export function Month({ first, month, onDay, ...bars }: Props) {
  const { shown, today, dragged } = bars;
  const days = Array.from({ length: WEEKS * 7 }, (_, n) => plus(first, n));
  const on = new Map<string, { one: (typeof shown)[number]; piece: (typeof shown)[number]["pieces"][number] }[]>();
  for (const one of shown) for (const piece of one.pieces) on.set(piece.day, [...(on.get(piece.day) ?? []), { one, piece }]);
  return (
    <div className="month">
      {days.slice(0, 7).map((day) => (
        <b key={day} className="head-of">
          {weekday(day)}
        </b>
      ))}
      {days.map((day) => {
        const mine = (on.get(day) ?? []).sort((a, b) => Number(a.one.has_clock) - Number(b.one.has_clock) || a.piece.start - b.piece.start);
        const look = `daycell${day.startsWith(month) ? "" : " beyond"}${day === today ? " now" : ""}${dragged?.target?.day === day ? " aimed" : ""}`;
        return (
          <div key={day} className={look} data-day={day}>
            <button className="link plainly number" aria-label={longDay(day)} onClick={() => onDay(day)}>
              {Number(day.slice(8))}
            </button>
            {mine.slice(0, mine.length > TOLD + 1 ? TOLD : TOLD + 1).map(({ one, piece }) => (
              <Bar key={one.shown.record.id} {...bars} one={one} piece={piece} tellsTime step={{ days: 7 }} />
            ))}
            {mine.length > TOLD + 1 && (
              <button className="link small" onClick={() => onDay(day)}>
                {mine.length - TOLD} more
              </button>
            )}
          </div>
        );
      })}
    </div>
  );
}
