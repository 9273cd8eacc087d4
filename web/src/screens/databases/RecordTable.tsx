import { createColumnHelper, flexRender, getCoreRowModel, useReactTable, type ColumnSizingState } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import { TEXT_FIELD, useTypeOf, type Database, type Field, type RecordOut, type Wire } from "../../api/queries";
import { reads, viewOf } from "../../fields";
import { FieldEditor } from "../../fields/FieldEditor";
import type { RefusedEdit } from "./useWriting";

interface Props {
  database: Database;
  records: RecordOut[];
  chosen: number | null;
  zone: string;
  more: () => void;
  /** The records that are chosen, to do something with all of them. */
  picked: ReadonlySet<number>;
  onPick: (picked: ReadonlySet<number>) => void;
  refused: RefusedEdit | null;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
}

const ROW = 32;
const HEAD = 44;
const PICK = 34; // wide
const helper = createColumnHelper<RecordOut>();

/** The records as a table. Only the rows in sight are in the page; F2 or a double click edits a cell in place, the space bar
    chooses a record. */
export function RecordTable({ database, records, chosen, zone, more, picked, onPick, refused, onEdit }: Props) {
  const navigate = useNavigate();
  const typeOf = useTypeOf();
  const view = useRef<HTMLDivElement>(null);
  const [sizes, setSizes] = useState<ColumnSizingState>({});
  const [at, setAt] = useState<{ row: number; column: number } | null>(null);
  const [editing, setEditing] = useState<{ of: RecordOut; column: number } | null>(null);
  const fields = useMemo(() => database.fields.filter((f) => f.id !== TEXT_FIELD), [database]);
  const columns = useMemo(
    () => fields.map((f, n) => helper.display({ id: f.id, header: f.name, size: n === 0 ? 260 : viewOf(f).width })),
    [fields],
  );
  const table = useReactTable({
    data: records,
    columns,
    getCoreRowModel: getCoreRowModel(),
    columnResizeMode: "onChange",
    state: { columnSizing: sizes },
    onColumnSizingChange: setSizes,
    getRowId: (r) => String(r.id),
  });
  const rows = table.getRowModel().rows;
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => view.current, estimateSize: () => ROW, overscan: 12 });
  const visible = virtual.getVirtualItems();
  const last = visible.at(-1)?.index ?? 0;
  useEffect(() => {
    if (last > rows.length - 40) more();
  }, [last, rows.length, more]);
  useEffect(() => {
    if (at && !editing) view.current?.querySelector<HTMLElement>(`[data-at="${at.row} ${at.column}"]`)?.focus();
  }, [at, editing]);

  // A value that was refused is in its box again, to be corrected.
  const [seen, setSeen] = useState<RefusedEdit | null>(null);
  if (refused !== seen) {
    setSeen(refused);
    const of = refused && records.find((r) => r.id === refused.record);
    if (of && chosen === null) setEditing({ of, column: fields.findIndex((f) => f.id === refused.field) });
  }

  const pick = (id: number) => {
    const next = new Set(picked);
    if (!next.delete(id)) next.add(id);
    onPick(next);
  };

  const onKeyDown = (event: KeyboardEvent) => {
    if (!at || editing) return;
    const moves: Record<string, [number, number]> = { ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] };
    const move = moves[event.key];
    const record = rows[at.row]?.original;
    if (move) {
      event.preventDefault();
      const row = Math.min(Math.max(at.row + move[0], 0), rows.length - 1);
      virtual.scrollToIndex(row);
      setAt({ row, column: Math.min(Math.max(at.column + move[1], 0), fields.length - 1) });
    } else if (event.key === " " && record) {
      event.preventDefault();
      pick(record.id);
    } else if (event.key === "F2" && record) {
      event.preventDefault();
      setEditing({ of: record, column: at.column });
    } else if (event.key === "Enter" && record) {
      void navigate(`/databases/${database.id}/${record.id}`);
    }
  };

  return (
    <div
      ref={view}
      className="vt fill"
      role="grid"
      aria-label={`Records of ${database.name}`}
      aria-rowcount={rows.length}
      onKeyDown={onKeyDown}
    >
      <div className="body" style={{ height: virtual.getTotalSize() + HEAD, width: table.getTotalSize() + PICK }}>
        <div className="thead" role="row" style={{ width: table.getTotalSize() + PICK }}>
          <div className="th" role="columnheader" style={{ width: PICK }}>
            <input
              type="checkbox"
              aria-label="Select all shown"
              checked={records.length > 0 && records.every((r) => picked.has(r.id))}
              onChange={(event) => onPick(new Set(event.target.checked ? records.map((r) => r.id) : []))}
            />
          </div>
          {table.getFlatHeaders().map((h, n) => (
            <div key={h.id} className="th" role="columnheader" style={{ width: h.getSize() }}>
              <b>{flexRender(h.column.columnDef.header, h.getContext())}</b>
              <small className="quiet">{typeOf(fields[n]?.type)?.name}</small>
              <div
                className="grip"
                onMouseDown={h.getResizeHandler()}
                onTouchStart={h.getResizeHandler()}
                role="separator"
                aria-label={`Width of ${String(h.column.columnDef.header)}`}
              />
            </div>
          ))}
        </div>
        {visible.map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          const look = row.original.id === chosen ? "tr chosen" : item.index % 2 ? "tr alt" : "tr";
          return (
            <div
              key={row.id}
              className={look}
              role="row"
              aria-rowindex={item.index + 1}
              style={{ transform: `translateY(${item.start + HEAD}px)` }}
            >
              <div className="td" role="rowheader" style={{ width: PICK }}>
                <input
                  type="checkbox"
                  tabIndex={-1}
                  aria-label={`Select ${String(row.original.values[String(fields[0]?.id)] ?? "the record")}`}
                  checked={picked.has(row.original.id)}
                  onChange={() => pick(row.original.id)}
                />
              </div>
              {row.getVisibleCells().map((cell, n) => {
                const field = fields[n];
                const here = at?.row === item.index && at.column === n;
                return (
                  <div
                    key={cell.id}
                    className={viewOf(field).isNumber ? "td num" : "td"}
                    role="gridcell"
                    tabIndex={here || (!at && item.index === 0 && n === 0) ? 0 : -1}
                    data-at={`${item.index} ${n}`}
                    style={{ width: cell.column.getSize() }}
                    onFocus={() => !here && setAt({ row: item.index, column: n })}
                    onClick={() => n === 0 && !editing && void navigate(`/databases/${database.id}/${row.original.id}`)}
                    onDoubleClick={() => setEditing({ of: row.original, column: n })}
                  >
                    {editing?.of.id === row.original.id && editing.column === n && field ? (
                      <FieldEditor
                        field={field}
                        value={row.original.values[cell.column.id]}
                        zone={zone}
                        refused={refused?.record === row.original.id && refused.field === field.id ? refused : undefined}
                        onDone={(value) => {
                          setEditing(null);
                          if (value !== undefined) onEdit(editing.of, field, value); // as it was when editing began
                        }}
                      />
                    ) : (
                      field && reads(field, row.original.values[cell.column.id], zone) // not kept by the table: a choice may be renamed
                    )}
                  </div>
                );
              })}
            </div>
          );
        })}
      </div>
    </div>
  );
}
