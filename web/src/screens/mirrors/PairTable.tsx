import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState, type CSSProperties } from "react";
import { useMe, useTypeOf } from "../../api/queries";
import { PairPane } from "./PairPane";
import { PairRow } from "./PairRow";
import { PAGE, useFresh, useRows, type Chosen, type MatchedField, type Mirror, type Row, type Side } from "./queries";
import { Settling } from "./Settling";

interface Props {
  mirror: Mirror;
  chosen: Chosen;
  stamp: number;
  /** These rows, instead of all that are chosen. */
  only?: Row[];
}

const ROW = 32;
const SHOWN = 3; // matched fields of each side that have a column

/** Both sides aligned pair by pair, with the state between them. Only the rows in sight are in the page. */
export function PairTable({ mirror, chosen, stamp, only }: Props) {
  const zone = useMe().data?.timezone ?? "UTC";
  const view = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useState<string | null>(null);
  const read = useRows(mirror.id, chosen);
  const rows = useMemo(() => only ?? read.data?.pages.flatMap((page) => page.rows) ?? [], [only, read.data]);
  const typeOf = useTypeOf();
  const columns = mirror.matched.filter((m) => m.left && m.right && !typeOf(m.left.type)?.is_long).slice(0, SHOWN);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => view.current,
    estimateSize: () => ROW,
    getItemKey: (n) => rows[n]?.id ?? n,
    overscan: 10,
  });
  const visible = virtual.getVirtualItems();
  const first = visible[0]?.index ?? 0;
  const last = visible.at(-1)?.index ?? 0;
  useFresh(mirror.id, chosen, Math.floor(first / PAGE), Math.floor(last / PAGE), stamp);
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = read;
  useEffect(() => {
    if (!only && last > rows.length - 60 && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [only, last, rows.length, hasNextPage, isFetchingNextPage, fetchNextPage]);
  const chosenRow = rows.find((row) => row.id === open);
  const track = columns.map((_, n) => (n === 0 ? "minmax(0,1.7fr)" : "minmax(0,.7fr)")).join(" ");
  const look = { "--track": `${track} 118px ${track}`, "--half": columns.length } as CSSProperties;
  if (rows.length === 0 && !read.isLoading) {
    return (
      <div className="empty">
        <p>{only ? "Nothing found by this name on either side." : "No items in this state."}</p>
      </div>
    );
  }
  return (
    <>
      <div className="aligned fill" ref={view} role="grid" aria-label="Items of both sides" aria-rowcount={rows.length} style={look}>
        <div className="heads">
          <HeadRow mirror={mirror} columns={columns} />
        </div>
        <div className="body" style={{ height: virtual.getTotalSize() }}>
          {visible.map((item) => {
            const row = rows[item.index];
            if (!row) return null;
            return (
              <div
                key={item.key}
                ref={virtual.measureElement}
                data-index={item.index}
                className={`one ${row.open.some((o) => o.key) || row.asks ? "clash" : ""} ${item.index % 2 ? "alt" : ""} ${open === row.id ? "chosen" : ""}`}
                style={{ transform: `translateY(${item.start}px)` }}
              >
                <PairRow
                  row={row}
                  mirror={mirror}
                  columns={columns}
                  zone={zone}
                  index={item.index}
                  onOpen={() => setOpen(open === row.id ? null : row.id)}
                />
                <Settling row={row} mirror={mirror} zone={zone} />
              </div>
            );
          })}
        </div>
      </div>
      {chosenRow && <PairPane row={chosenRow} mirror={mirror} zone={zone} onClose={() => setOpen(null)} />}
    </>
  );
}

function HeadRow({ mirror, columns }: { mirror: Mirror; columns: MatchedField[] }) {
  const names = (side: Side) =>
    columns.map((m) => (
      <div key={m.id} className="th" role="columnheader">
        {m[side]?.name}
      </div>
    ));
  return (
    <>
      <div className="pair titles">
        <div className="th whole-side">
          <b>{mirror.left.name}</b>
          <small>{mirror.left.app_name}</small>
        </div>
        <div className="th middle" />
        <div className="th whole-side">
          <b>{mirror.right.name}</b>
          <small>{mirror.right.app_name}</small>
        </div>
      </div>
      <div className="pair" role="row">
        {names("left")}
        <div className="th middle" role="columnheader">
          state
        </div>
        {names("right")}
      </div>
    </>
  );
}
