import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type CSSProperties, type KeyboardEvent } from "react";
import type { Field, RecordOut } from "../../api/queries";
import { viewOf } from "../../fields";
import { columnsOf } from "../ColumnsEditor";
import { useShown } from "../queries";
import type { ShownProps } from "../shownProps";
import { Foot } from "./Foot";
import { GroupHead } from "./GroupHead";
import { Head, PICK } from "./Head";
import { Row, type Editing } from "./Row";
import { rowsOf } from "../rows";
import { movedBy, useGrid, type Spot } from "./useGrid";
import { useRange } from "./useRange";

const ROW = 32;
export const HEAD = 44;
const ROWS_IN_SIGHT = 12; // beyond those on the screen

/** The records as a table, worked in as in a spreadsheet. Only the rows in sight are in the page. */
export function Table(props: ShownProps) {
  const { database, fields, viewing, groups, figures, total, more, chosen, zone, picked, onPick, refused, onOpen, onEdit, onEdits } = props;
  const { view } = viewing;
  const frame = useRef<HTMLDivElement>(null);
  const [closed, setClosed] = useState<ReadonlySet<string | null>>(new Set());
  const [editing, setEditing] = useState<Editing | null>(null);
  const [widths, setWidths] = useState<Record<string, number>>({});
  const [shown, ids] = useMemo(() => rowsOf(groups, !!view.group, closed, total), [groups, view.group, closed, total]);
  const columns = useMemo(
    () => columnsOf(view, fields, database.fields.length).flatMap((c) => fields.find((f) => f.id === c.field) ?? []),
    [view, fields, database],
  );
  const widthOf = (field: Field) =>
    widths[field.id] ?? view.columns?.find((c) => c.field === field.id)?.width ?? (field.id === columns[0]?.id ? 260 : viewOf(field).width);
  const grid = useGrid(shown.length, columns.length);
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => frame.current,
    estimateSize: () => ROW,
    overscan: ROWS_IN_SIGHT,
  });
  const visible = virtual.getVirtualItems();
  const last = visible.at(-1)?.index ?? 0;
  const of = (n: number) => shown[n]?.at ?? 0;
  const read = useShown(database.id, view.marks, ids, of(visible[0]?.index ?? 0), Math.max(of(last), of(last - 1)));
  const recordAt = (row: number) => {
    const id = shown[row]?.record;
    return id == null ? undefined : read(id)?.record;
  };
  const range = useRange({ grid, columns, recordAt, rows: shown.length, isHead: (row) => shown[row]?.record === null, zone, onEdits });
  useEffect(() => {
    if (of(last) >= ids.length - 200) more();
  });
  const { at } = grid;
  useEffect(() => {
    if (at && !editing) frame.current?.querySelector<HTMLElement>(`[data-at="${at.row} ${at.column}"]`)?.focus({ preventScroll: true });
  }, [at, editing]);

  // A value that was refused is in its box again, to be corrected.
  const [seen, setSeen] = useState(refused);
  if (refused !== seen) {
    setSeen(refused);
    const found = refused && read(refused.record)?.record;
    if (found && chosen === null) setEditing({ of: found, column: columns.findIndex((f) => f.id === refused.field) });
  }

  const pick = (id: number) => {
    const next = new Set(picked);
    if (!next.delete(id)) next.add(id);
    onPick(next);
  };
  const go = (spot: Spot, isRange = false) => {
    virtual.scrollToIndex(grid.goTo(spot, isRange).row);
  };
  const all = () => {
    grid.goTo({ row: 0, column: 0 });
    grid.goTo({ row: shown.length - 1, column: columns.length - 1 }, true);
  };
  const edit = (record: RecordOut | undefined, column: number, begins?: string) => {
    if (record && columns[column]?.can_write) setEditing({ of: record, column, begins });
  };
  const leave = (to: [number, number] | null) => {
    setEditing(null);
    if (at && to) go({ row: at.row + to[0], column: at.column + to[1] });
  };

  const onKeyDown = (event: KeyboardEvent) => {
    if (!at || editing || !(event.target as HTMLElement).matches("[data-at]")) return;
    const { key } = event;
    const ctrl = event.ctrlKey || event.metaKey;
    const record = recordAt(at.row);
    const moved = movedBy(key, ctrl, at, shown.length, columns.length);
    const acts: Record<string, () => void> = {
      Enter: () => (ctrl && record ? onOpen(record.id) : edit(record, at.column)),
      F2: () => edit(record, at.column),
      Delete: range.empty,
      Backspace: range.empty,
      Escape: () => grid.goTo(at),
      " ": () => record && pick(record.id),
    };
    if (moved) go(moved, event.shiftKey);
    else if (ctrl && key.toLowerCase() === "d") range.fillDown();
    else if (ctrl && key.toLowerCase() === "a") all();
    else if (acts[key]) acts[key]();
    else if (key.length === 1 && !ctrl && !event.altKey) edit(record, at.column, key);
    else return;
    event.preventDefault();
  };

  const wide = columns.reduce((sum, f) => sum + widthOf(f), PICK);
  const lefts: (number | undefined)[] = [];
  columns.slice(0, view.frozen ?? 1).reduce((left, f, n) => ((lefts[n] = left), left + widthOf(f)), PICK);
  const styleOf = (n: number): CSSProperties => {
    const field = columns[n];
    return { width: field && widthOf(field), left: lefts[n] };
  };
  const editor = { editing, refused, zone, onLeave: leave, onEdit };
  return (
    <div
      ref={frame}
      className="vt fill"
      role="grid"
      aria-label={`Records of ${database.name}`}
      aria-rowcount={shown.length}
      aria-multiselectable
      onKeyDown={onKeyDown}
      onCopy={(event) => !editing && at && range.onCopy(event)}
      onPaste={(event) => !editing && at && range.onPaste(event)}
    >
      <div className="body" style={{ height: virtual.getTotalSize() + HEAD, width: wide }}>
        <Head
          viewing={viewing}
          fields={fields}
          columns={columns}
          own={database.fields.length}
          styleOf={styleOf}
          wide={wide}
          ids={ids}
          picked={picked}
          onPick={onPick}
          widthOf={widthOf}
          onWidth={(field, width) => setWidths((now) => ({ ...now, [field]: width }))}
        />
        {visible.map((item) => {
          const row = shown[item.index];
          const place = { transform: `translateY(${item.start + HEAD}px)`, width: wide };
          if (!row) return null;
          if (row.record === null)
            return (
              <GroupHead
                key={`group ${row.group ?? ""}`}
                style={place}
                field={fields.find((f) => f.id === view.group)}
                fields={fields}
                group={row.group}
                figures={figures}
                totals={view.totals ?? []}
                zone={zone}
                isClosed={closed.has(row.group)}
                onToggle={() => {
                  const next = new Set(closed);
                  if (!next.delete(row.group)) next.add(row.group);
                  setClosed(next);
                }}
              />
            );
          const known = row.record === undefined ? undefined : read(row.record);
          return (
            <Row
              key={`${row.group ?? ""} ${row.record ?? item.index}`}
              shown={known}
              index={item.index}
              style={place}
              columns={columns}
              styleOf={styleOf}
              marks={view.marks ?? []}
              isChosen={row.record === chosen}
              isPicked={row.record !== undefined && picked.has(row.record)}
              onPick={pick}
              onOpen={onOpen}
              grid={grid}
              onGo={grid.goTo}
              onStart={edit}
              {...editor}
            />
          );
        })}
      </div>
      <Foot viewing={viewing} columns={columns} styleOf={styleOf} wide={wide} figures={figures} zone={zone} />
    </div>
  );
}
