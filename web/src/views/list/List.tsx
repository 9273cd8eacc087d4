import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef } from "react";
import { TEXT_FIELD } from "../../api/queries";
import { columnsOf } from "../ColumnsEditor";
import { groupName } from "../groupWords";
import { useShown } from "../queries";
import { rowsOf } from "../rows";
import type { ShownProps } from "../shownProps";
import { Article } from "./Article";

const TALL = 140; // px, that a record is taken for until it is measured
const NONE: ReadonlySet<string | null> = new Set();

/** Records for reading: the text of each in the main column, its particulars in the margin. */
export function List({ database, fields, viewing, groups, figures, total, more, chosen, zone, onOpen }: ShownProps) {
  const { view } = viewing;
  const frame = useRef<HTMLDivElement>(null);
  const [rows, ids] = useMemo(() => rowsOf(groups, !!view.group, NONE, total), [groups, view.group, total]);
  const columns = useMemo(
    () =>
      columnsOf(view, fields, database.fields.length)
        .flatMap((c) => fields.find((f) => f.id === c.field) ?? [])
        .filter((f) => f.id !== view.group),
    [view, fields, database],
  );
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => frame.current,
    estimateSize: (n) => (rows[n]?.record === null ? 36 : TALL),
    getItemKey: (n) => `${rows[n]?.group ?? ""} ${rows[n]?.record ?? `at ${n}`}`,
    overscan: 4,
  });
  const visible = virtual.getVirtualItems();
  const last = visible.at(-1)?.index ?? 0;
  const at = (n: number) => rows[n]?.at ?? 0;
  const read = useShown(database.id, view.marks, ids, at(visible[0]?.index ?? 0), at(last));
  useEffect(() => {
    if (at(last) >= ids.length - 50) more();
  });
  const text = fields.find((f) => f.id === TEXT_FIELD);
  return (
    <div ref={frame} className="reading fill" role="region" aria-label={`Records of ${database.name}`} tabIndex={0}>
      <div className="body" style={{ height: virtual.getTotalSize() }}>
        {visible.map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          const place = { transform: `translateY(${item.start}px)` };
          if (row.record === null) {
            const group = figures?.groups.find((g) => g.key === row.group);
            return (
              <h2 key={item.key} ref={virtual.measureElement} data-index={item.index} className="one" style={place}>
                {groupName(
                  fields.find((f) => f.id === view.group),
                  group,
                  row.group,
                  zone,
                )}{" "}
                <span className="quiet">{group?.records}</span>
              </h2>
            );
          }
          return (
            <div key={item.key} ref={virtual.measureElement} data-index={item.index} className="one" style={place}>
              <Article
                shown={row.record === undefined ? undefined : read(row.record)}
                columns={columns}
                text={text}
                marks={view.marks}
                zone={zone}
                isChosen={row.record === chosen}
                onOpen={onOpen}
              />
            </div>
          );
        })}
      </div>
    </div>
  );
}
