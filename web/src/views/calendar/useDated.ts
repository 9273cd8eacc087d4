import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { answer, client } from "../../api/client";
import { useTypeOf, type RecordOut } from "../../api/queries";
import { askedOf } from "../queries";
import type { ShownProps } from "../shownProps";
import type { Bars } from "./Bar";
import { dated, movedTo, stretchedTo } from "./moves";
import { useDragging, type Dragged } from "./useDragging";

/** The day that is looked at, from the address. */
export function useDay(zone: string) {
  const [search, setSearch] = useSearchParams();
  const today = new Date().toLocaleDateString("en-CA", { timeZone: zone });
  const go = (change: Record<string, string>) => {
    const next = new URLSearchParams(search);
    for (const [key, value] of Object.entries(change)) next.set(key, value);
    setSearch(next);
  };
  return { at: search.get("at") ?? today, today, range: search.get("range"), go };
}

/** The records of some days, and planning them: what a calendar and a timeline share. */
export function useDated(
  { database, fields, viewing, zone, chosen, onOpen, onEdit }: ShownProps,
  first: string,
  last: string,
  today: string,
) {
  const { view } = viewing;
  const field = fields.find((f) => f.id === view.by);
  const type = useTypeOf()(field?.type);
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
  const write = (record: RecordOut, value: string | null) => field && value !== null && onEdit(record, field, value);
  /** Date a record that has no date yet. */
  const date = (record: RecordOut, target: NonNullable<Dragged["target"]>) =>
    write(record, dated(target, !!type?.has_clock, !type?.tells_day));
  const put = ({ id, from, target, isEnd }: Dragged) => {
    const one = shown.find((d) => d.shown.record.id === id);
    const undated = read.data?.undated.find((s) => s.record.id === id);
    if (!field || !target) return;
    if (undated) return date(undated.record, target);
    if (!one) return;
    const value = one.shown.record.values[field.id];
    if (isEnd) write(one.shown.record, stretchedTo(one, value, target));
    else if (from) write(one.shown.record, movedTo(one, value, from, target));
  };
  const { dragged, start } = useDragging(put);
  const bars: Omit<Bars, "field"> = {
    shown,
    fields,
    zone,
    chosen,
    marks: view.marks,
    today: read.data?.today ?? today,
    dragged,
    start,
    onOpen,
    write,
  };
  return { field, bars, read, date };
}
