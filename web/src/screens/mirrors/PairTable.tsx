import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState, type CSSProperties } from "react";
import { useMe, useTypeOf } from "../../api/queries";
import { PairPane } from "./PairPane";
import { PairRow } from "./PairRow";
import { PAGE, useFresh, usePages, useRow, type Chosen, type MatchedField, type Mirror, type Row, type Side } from "./queries";
import { Settling } from "./Settling";

interface Props {
  mirror: Mirror;
  chosen: Chosen;
  /** How many rows there are of those chosen. */
  total: number;
  stamp: number;
  /** These rows, instead of all that are chosen. */
  only?: Row[];
}

const ROW = 32;
const SETTLES = 60; // ms for which one scrolls through the same pages before they are read
const SHOWN = 3; // matched fields of each side that have a column

/** Both sides aligned pair by pair, with the state between them. Only the rows in sight are in the page. */
export function PairTable({ mirror, chosen, total, stamp, only }: Props) {
  const zone = useMe().data?.timezone ?? "UTC";
  const view = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useState<Row | null>(null);
  const [shown, setShown] = useState<[first: number, last: number]>([0, 0]);
  const pages = usePages(mirror.id, chosen, ...shown);
  const count = only?.length ?? total;
  const rowAt = (n: number) => (only ? only[n] : pages.get(Math.floor(n / PAGE))?.[n % PAGE]);
  const typeOf = useTypeOf();
  const columns = mirror.matched.filter((m) => m.left && m.right && !typeOf(m.left.type)?.is_long).slice(0, SHOWN);
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => view.current,
    estimateSize: () => ROW,
    getItemKey: (n) => rowAt(n)?.id ?? n,
    overscan: 10,
  });
  const visible = virtual.getVirtualItems();
  const first = visible[0]?.index ?? 0;
  const last = visible.at(-1)?.index ?? 0;
  const inSight = `${Math.floor(first / PAGE)} ${Math.floor(last / PAGE)}`;
  useFresh(mirror.id, stamp);
  useEffect(() => {
    const [from = 0, to = 0] = inSight.split(" ").map(Number);
    const settled = setTimeout(() => setShown([from, to]), SETTLES);
    return () => clearTimeout(settled);
  }, [inSight]);
  const chosenRow = useRow(mirror.id, open?.id).data ?? open;
  const track = columns.map((_, n) => (n === 0 ? "minmax(0,1.7fr)" : "minmax(0,.7fr)")).join(" ");
  const look = { "--track": `${track} 118px ${track}`, "--half": columns.length } as CSSProperties;
  if (count === 0) {
    return (
      <div className="empty">
        <p>{only ? "Nothing found by this name on either side." : "No items in this state."}</p>
      </div>
    );
  }
  return (
    <>
      <div className="aligned fill" ref={view} role="grid" aria-label="Items of both sides" aria-rowcount={count} style={look}>
        <div className="heads">
          <HeadRow mirror={mirror} columns={columns} />
        </div>
        <div className="body" style={{ height: virtual.getTotalSize() }}>
          {visible.map((item) => {
            const row = rowAt(item.index);
            const place = { transform: `translateY(${item.start}px)` };
            if (!row) return <div key={item.key} className="one" style={{ ...place, height: ROW }} aria-busy="true" />;
            return (
              <div
                key={item.key}
                ref={virtual.measureElement}
                data-index={item.index}
                className={`one ${row.open.some((o) => o.key) || row.asks ? "clash" : ""} ${item.index % 2 ? "alt" : ""} ${open?.id === row.id ? "chosen" : ""}`}
                style={place}
              >
                <PairRow
                  row={row}
                  mirror={mirror}
                  columns={columns}
                  zone={zone}
                  index={item.index}
                  onOpen={() => setOpen(open?.id === row.id ? null : row)}
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
