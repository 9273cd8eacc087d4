import {
  DndContext,
  DragOverlay,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
  type DragStartEvent,
  type KeyboardCoordinateGetter,
} from "@dnd-kit/core";
import { useMemo, useRef, useState } from "react";
import { createPortal } from "react-dom";
import type { RecordOut, Wire } from "../../api/queries";
import { columnsOf } from "../ColumnsEditor";
import { groupName } from "../groupWords";
import type { ShownProps } from "../shownProps";
import { Entry } from "./Entry";
import { Stack, type Gap } from "./Stack";
import { useRanks } from "./useRanks";

/** The key of a group, as the one without a value has it too. */
export const keyed = (group: string | null) => (group === null ? "none" : `is ${group}`);

/** Arrow keys carry what is lifted from group to group. */
const toNeighbour: KeyboardCoordinateGetter = (event, { context, currentCoordinates }) => {
  const by = event.code === "ArrowRight" ? 1 : event.code === "ArrowLeft" ? -1 : 0;
  if (!by) return undefined;
  event.preventDefault();
  const stacks = [...context.droppableContainers.getEnabled()].sort((a, b) => (a.rect.current?.left ?? 0) - (b.rect.current?.left ?? 0));
  const over = stacks.findIndex((s) => s.id === context.over?.id);
  const next = stacks[Math.min(Math.max((over < 0 ? 0 : over) + by, 0), stacks.length - 1)]?.rect.current;
  return next ? { x: next.left + 8, y: next.top + 60 } : currentCoordinates;
};

/** Groups side by side; a record is dragged from one to another, which fills its field. */
export function Board(props: ShownProps) {
  const { database, fields, viewing, groups, figures, zone, onEdit } = props;
  const { view } = viewing;
  const field = fields.find((f) => f.id === view.group);
  const [lifted, setLifted] = useState<{ record: RecordOut; from: string | null } | null>(null);
  const [over, setOver] = useState<string | null | undefined>(undefined);
  const known = useRef(new Map<string, RecordOut>());
  const rank = useRanks(database.id, view, lifted !== null);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: toNeighbour }),
  );
  const lines = useMemo(
    () =>
      columnsOf(view, fields, database.fields.length)
        .flatMap((c) => fields.find((f) => f.id === c.field) ?? [])
        .filter((f) => f.id !== field?.id),
    [view, fields, database, field],
  );
  if (!field) return <p className="empty">Choose the field by which records stand side by side.</p>;

  // Every choice has its place, also where no record has it yet.
  const values = new Map<string | null, Wire>(
    field.choices.map((c) => [c.id, Array.isArray(figures?.groups.find((g) => g.value)?.value) ? [c.id] : c.id]),
  );
  for (const g of figures?.groups ?? []) values.set(g.key, g.value as Wire);
  if (!values.has(null)) values.set(null, null);
  const stacks = [...values.keys()].filter((key) => key !== null || (figures?.groups.some((g) => g.key === null) ?? false));

  const moved = (record: RecordOut, from: string | null, to: string | null): Wire => {
    const value = values.get(to) ?? null;
    const now = record.values[field.id];
    if (!Array.isArray(now) || !field.choices.length) return value;
    const rest = (now as string[]).filter((label) => label !== from && label !== to);
    return to === null ? (rest.length ? rest : null) : [...rest, to];
  };
  const onDragEnd = ({ over: at }: DragEndEvent) => {
    const to = stacks.find((key) => keyed(key) === at?.id);
    if (lifted && at && to !== undefined && to !== lifted.from) onEdit(lifted.record, field, moved(lifted.record, lifted.from, to));
    setLifted(null);
    setOver(undefined);
  };
  const onDragStart = ({ active }: DragStartEvent) => {
    const record = known.current.get(String(active.id));
    const from = active.data.current?.group as string | null;
    if (record) setLifted({ record, from });
  };
  const gapIn = (key: string | null, ids: number[]): Gap | null => {
    if (!lifted || over === undefined || over !== key || key === lifted.from) return null;
    const mine = rank(lifted.record.id);
    return { at: mine === undefined ? 0 : ids.filter((id) => (rank(id) ?? Infinity) < mine).length };
  };
  const nameOf = (key: string | null) =>
    groupName(
      field,
      figures?.groups.find((g) => g.key === key),
      key,
      zone,
    );
  const said = (id: unknown) => nameOf(stacks.find((key) => keyed(key) === id) ?? null);
  const title = (id: unknown) => String(known.current.get(String(id))?.values[fields[0]?.id ?? ""] ?? "The record");
  return (
    <DndContext
      sensors={sensors}
      onDragStart={onDragStart}
      onDragOver={({ over: at }) => setOver(at ? stacks.find((key) => keyed(key) === at.id) : undefined)}
      onDragEnd={onDragEnd}
      onDragCancel={() => {
        setLifted(null);
        setOver(undefined);
      }}
      accessibility={{
        screenReaderInstructions: {
          draggable:
            "To move a record, press the space bar, choose a group with the arrow keys, and press the space bar again. Escape cancels.",
        },
        announcements: {
          onDragStart: ({ active }) => `${title(active.id)} was lifted.`,
          onDragOver: ({ active, over: at }) => (at ? `${title(active.id)} is over ${said(at.id)}.` : undefined),
          onDragEnd: ({ active, over: at }) =>
            at ? `${title(active.id)} was put into ${said(at.id)}.` : `${title(active.id)} was put back.`,
          onDragCancel: ({ active }) => `${title(active.id)} was put back.`,
        },
      }}
    >
      <div className="stacks fill" role="group" aria-label={`${database.name} by ${field.name}`}>
        {stacks.map((key) => {
          const ids = groups.find((g) => g.key === key)?.records ?? [];
          return (
            <Stack
              {...props}
              key={keyed(key)}
              group={key}
              name={nameOf(key)}
              ids={ids}
              lines={lines}
              figure={figures?.groups.find((g) => g.key === key)}
              known={known.current}
              lifted={lifted?.record.id ?? null}
              gap={gapIn(key, ids)}
              isOver={over === key && lifted !== null}
            />
          );
        })}
      </div>
      {createPortal(
        <DragOverlay dropAnimation={null}>
          {lifted && (
            <div className="entry lifted">
              <Entry record={lifted.record} lines={lines} zone={zone} mark={undefined} />
            </div>
          )}
        </DragOverlay>,
        document.body,
      )}
    </DndContext>
  );
}
