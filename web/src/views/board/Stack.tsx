import { useDraggable, useDroppable } from "@dnd-kit/core";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Field, RecordOut } from "../../api/queries";
import { groupTotals } from "../groupWords";
import { useShown, type Figures, type Shown } from "../queries";
import type { ShownProps } from "../shownProps";
import { keyed } from "./Board";
import { Entry } from "./Entry";

const TALL = 52; // px, of an entry

/** Where what is dragged will stand: before the entry at this place. */
export interface Gap {
  at: number;
}

interface Props extends ShownProps {
  group: string | null;
  name: string;
  ids: number[];
  /** The fields that an entry tells. */
  lines: Field[];
  figure: Figures["groups"][number] | undefined;
  /** The records that have been read, for whoever drags one. */
  known: Map<string, RecordOut>;
  lifted: number | null;
  gap: Gap | null;
  isOver: boolean;
}

/** A group of a board: its head with its count and totals, and its records in their order. */
export function Stack({
  database,
  fields,
  viewing,
  group,
  name,
  ids,
  lines,
  figure,
  known,
  lifted,
  gap,
  isOver,
  zone,
  chosen,
  onOpen,
  more,
}: Props) {
  const { view } = viewing;
  const frame = useRef<HTMLDivElement>(null);
  const { setNodeRef } = useDroppable({ id: keyed(group) });
  const virtual = useVirtualizer({ count: ids.length, getScrollElement: () => frame.current, estimateSize: () => TALL, overscan: 6 });
  const visible = virtual.getVirtualItems();
  const last = visible.at(-1)?.index ?? 0;
  const read = useShown(database.id, view.marks, ids, visible[0]?.index ?? 0, last);
  const total = figure?.records ?? ids.length;
  useEffect(() => {
    if (last >= ids.length - 20 && ids.length < total) more();
  });
  const shifts = (n: number) => (gap && n >= gap.at ? TALL : 0);
  return (
    <section ref={setNodeRef} className={isOver ? "stack aimed" : "stack"} aria-label={name}>
      <h2>
        {name} <span className="quiet">{total}</span>
        <span className="sum">{groupTotals(fields, view.totals ?? [], figure?.totals ?? [], zone).join(" · ")}</span>
      </h2>
      <div ref={frame} className="entries">
        <ul style={{ height: virtual.getTotalSize() + (gap ? TALL : 0) }}>
          {gap && <li className="gap" aria-hidden="true" style={{ transform: `translateY(${gap.at * TALL}px)`, height: TALL }} />}
          {visible.map((item) => {
            const id = ids[item.index] ?? 0;
            const shown = read(id);
            if (shown) known.set(`${keyed(group)} ${id}`, shown.record);
            return (
              <Draggable
                key={id}
                shown={shown}
                id={`${keyed(group)} ${id}`}
                group={group}
                lines={lines}
                zone={zone}
                marks={view.marks ?? []}
                isChosen={id === chosen}
                isLifted={id === lifted}
                style={{ transform: `translateY(${item.start + shifts(item.index)}px)`, height: TALL }}
                onOpen={() => onOpen(id)}
              />
            );
          })}
        </ul>
      </div>
    </section>
  );
}

interface DraggableProps {
  shown: Shown | undefined;
  id: string;
  group: string | null;
  lines: Field[];
  zone: string;
  marks: NonNullable<ShownProps["viewing"]["view"]["marks"]>;
  isChosen: boolean;
  isLifted: boolean;
  style: { transform: string; height: number };
  onOpen: () => void;
}

function Draggable({ shown, id, group, lines, zone, marks, isChosen, isLifted, style, onOpen }: DraggableProps) {
  const { setNodeRef, listeners, attributes } = useDraggable({ id, data: { group }, disabled: !shown });
  if (!shown) return <li className="entry" style={style} aria-busy="true" />;
  const mark = shown.mark == null ? undefined : marks[shown.mark];
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.key === "Enter" && !isLifted) onOpen();
    else (listeners?.onKeyDown as ((event: React.KeyboardEvent) => void) | undefined)?.(event);
  };
  return (
    <li className={`entry${isChosen ? " chosen" : ""}${isLifted ? " away" : ""}`} style={style}>
      <div ref={setNodeRef} {...attributes} {...listeners} onKeyDown={onKeyDown} onClick={onOpen} className="body">
        <Entry record={shown.record} lines={lines} zone={zone} mark={mark} />
      </div>
    </li>
  );
}
