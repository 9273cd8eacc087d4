import { useQuery, keepPreviousData } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { answer, client, said } from "../../api/client";
import { useTypeOf, type RecordOut } from "../../api/queries";
import { askedOf } from "../queries";
import type { ShownProps } from "../shownProps";
import { longDay, monday, monthName, monthStart, plus, plusMonths, shortDay } from "./days";
import { Margin } from "./Margin";
import { Month } from "./Month";
import { dated, movedTo, stretchedTo, type Dated, type Target } from "./moves";
import { useDragging } from "./useDragging";
import { Week } from "./Week";

export type Range = "day" | "week" | "month";

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
export function Calendar({ database, fields, viewing, zone, chosen, onOpen, onEdit }: ShownProps) {
  const { view } = viewing;
  const typeOf = useTypeOf();
  const [search, setSearch] = useSearchParams();
  const field = fields.find((f) => f.id === view.by);
  const today = new Date().toLocaleDateString("en-CA", { timeZone: zone });
  const at = search.get("at") ?? today;
  const range = RANGES.find((r) => r === search.get("range")) ?? "week";
  const [first, last] = daysOf(range, at);
  const body = { view: { ...askedOf(view), kind: "calendar" as const, by: view.by, marks: view.marks }, first, last };
  const read = useQuery({
    queryKey: ["view-figures", database.id, "calendar", body],
    queryFn: () =>
      answer(client.POST("/api/v1/databases/{database_id}/calendar", { params: { path: { database_id: database.id } }, body })),
    enabled: !!view.by,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const shown = read.data?.dated ?? [];
  const find = (id: number): RecordOut | undefined =>
    shown.find((d) => d.shown.record.id === id)?.shown.record ?? read.data?.undated.find((s) => s.record.id === id)?.record;
  const write = (record: RecordOut, value: string | null) => field && value !== null && onEdit(record, field, value);
  const type = typeOf(field?.type);
  const put = (id: number, target: Target, isEnd: boolean) => {
    const record = find(id);
    const one = shown.find((d) => d.shown.record.id === id);
    if (!record || !field) return;
    const value = record.values[field.id];
    if (!one) write(record, dated(target, !!type?.has_clock, !type?.tells_day));
    else write(record, isEnd ? stretchedTo(one, value, target) : movedTo(one, value, target));
  };
  const { dragged, start } = useDragging(({ id, target, isEnd }) => put(id, target, isEnd));
  const go = (change: Record<string, string>) => {
    const next = new URLSearchParams(search);
    for (const [key, value] of Object.entries(change)) next.set(key, value);
    setSearch(next);
  };
  const step = (by: number) => go({ at: range === "month" ? plusMonths(at, by) : plus(at, by * (range === "week" ? 7 : 1)) });
  if (!field) return <p className="empty">Choose the field by which records are dated, under Change view.</p>;
  const name = range === "month" ? monthName(at) : range === "day" ? longDay(at) : `Week of ${shortDay(first)} ${first.slice(0, 4)}`;
  const bars = { shown, field, fields, zone, chosen, marks: view.marks, today: read.data?.today ?? today, dragged, start, onOpen, write };
  return (
    <section className="calendar fill" aria-label={`${database.name} by ${field.name}`}>
      <div className="row steps-of">
        <button className="link" onClick={() => step(-1)}>
          ‹ Earlier
        </button>
        <button className="link" onClick={() => go({ at: today })}>
          Today
        </button>
        <button className="link" onClick={() => step(1)}>
          Later ›
        </button>
        <h2 className="grow" aria-live="polite">
          {name}
        </h2>
        {read.error && <span className="bad">{said(read.error)}</span>}
        {read.data?.more && <span className="bad">More records than can be shown. Add a condition to see them all.</span>}
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
      </div>
      <div className="dated">
        {range === "month" ? (
          <Month {...bars} first={first} month={at.slice(0, 7)} onDay={(day) => go({ range: "day", at: day })} />
        ) : (
          <Week {...bars} days={range === "day" ? [at] : Array.from({ length: 7 }, (_, n) => plus(first, n))} minute={read.data?.minute} />
        )}
        <Margin
          {...bars}
          undated={read.data?.undated ?? []}
          count={read.data?.undated_count ?? 0}
          onDate={(record) => write(record, dated({ day: at }, !!type?.has_clock, !type?.tells_day))}
        />
      </div>
    </section>
  );
}

export type { Dated };
