import { useRef, type CSSProperties } from "react";
import type { Field, RecordOut, Wire } from "../../api/queries";
import { reads, viewOf } from "../../fields";
import { FieldEditor } from "../../fields/FieldEditor";
import type { RefusedEdit } from "../../screens/databases/useWriting";
import { TONES } from "../MarksEditor";
import type { Shown, View } from "../queries";
import { PICK } from "./Head";
import type { Grid, Spot } from "./useGrid";

export interface Editing {
  /** The record as it was when editing began. */
  of: RecordOut;
  column: number;
  /** What was typed to begin, instead of what is there. */
  begins?: string;
}

interface Props {
  /** Nothing while it is read. */
  shown: Shown | undefined;
  index: number;
  style: CSSProperties;
  columns: Field[];
  styleOf: (column: number) => CSSProperties;
  marks: NonNullable<View["marks"]>;
  isChosen: boolean;
  isPicked: boolean;
  onPick: (id: number) => void;
  onOpen: (id: number) => void;
  grid: Grid;
  onGo: (spot: Spot, isRange?: boolean) => void;
  onStart: (record: RecordOut, column: number) => void;
  editing: Editing | null;
  refused: RefusedEdit | null;
  zone: string;
  /** Editing ends; with the keys that end it one goes on to another cell. */
  onLeave: (to: [number, number] | null) => void;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
}

/** A record as a row of a table. */
export function Row(props: Props) {
  const { shown, index, style, columns, styleOf, marks, isChosen, isPicked, onPick, onOpen, grid, onGo, onStart } = props;
  const record = shown?.record;
  const tone = shown?.mark == null ? undefined : marks[shown.mark]?.tone;
  const title = columns[0] && record ? reads(columns[0], record.values[columns[0].id], props.zone) : "";
  const look = `tr${isChosen ? " chosen" : index % 2 ? " alt" : ""}${tone ? ` mark-${tone}` : ""}`;
  return (
    <div className={look} role="row" aria-rowindex={index + 1} aria-busy={!record} style={style}>
      <div className="td kept" role="rowheader" style={{ width: PICK, left: 0 }}>
        {record && (
          <input
            type="checkbox"
            tabIndex={-1}
            aria-label={`Select ${title || "the record"}`}
            checked={isPicked}
            onChange={() => onPick(record.id)}
          />
        )}
      </div>
      {columns.map((field, n) => {
        const here = grid.at?.row === index && grid.at.column === n;
        const where = styleOf(n);
        const isHeld = where.left !== undefined;
        return (
          <div
            key={field.id}
            className={`td${viewOf(field).isNumber ? " num" : ""}${isHeld ? " kept" : ""}${grid.holds(index, n) ? " ranged" : ""}`}
            role="gridcell"
            aria-selected={grid.holds(index, n) || here}
            tabIndex={here || (!grid.at && index === 0 && n === 0) ? 0 : -1}
            data-at={`${index} ${n}`}
            style={where}
            onFocus={(event) => event.target === event.currentTarget && !here && onGo({ row: index, column: n })}
            onMouseDown={(event) => {
              if (!event.shiftKey) return;
              event.preventDefault();
              onGo({ row: index, column: n }, true);
            }}
            onMouseEnter={(event) => event.buttons === 1 && grid.at && !props.editing && onGo({ row: index, column: n }, true)}
            onClick={(event) => n === 0 && record && !props.editing && !grid.isRange && !event.shiftKey && onOpen(record.id)}
            onDoubleClick={() => record && onStart(record, n)}
          >
            {record && <Content {...props} record={record} field={field} column={n} />}
            {n === 0 && tone && (
              <i className={`sign mark-${tone}`} role="img" aria-label={TONES[tone].words}>
                {TONES[tone].sign}
              </i>
            )}
          </div>
        );
      })}
    </div>
  );
}

interface ContentProps extends Props {
  record: RecordOut;
  field: Field;
  column: number;
}

function Content({ record, field, column, editing, refused, zone, onLeave, onEdit }: ContentProps) {
  if (editing?.of.id !== record.id || editing.column !== column) return reads(field, record.values[field.id], zone); // a choice may be renamed
  return <Edited {...{ record, field, editing, refused, zone, onLeave, onEdit }} />;
}

interface EditedProps extends Pick<Props, "refused" | "zone" | "onLeave" | "onEdit"> {
  record: RecordOut;
  field: Field;
  editing: Editing;
}

/** A cell that is edited: Enter goes on below, Tab beside. */
function Edited({ record, field, editing, refused, zone, onLeave, onEdit }: EditedProps) {
  const to = useRef<[number, number] | null>(null);
  return (
    <span
      className="contents"
      onKeyDownCapture={(event) => {
        to.current = event.key === "Enter" ? [event.shiftKey ? -1 : 1, 0] : event.key === "Tab" ? [0, event.shiftKey ? -1 : 1] : null;
        if (event.key !== "Tab") return;
        event.preventDefault();
        event.stopPropagation();
        (event.target as HTMLElement).blur(); // which keeps what is typed
      }}
    >
      <FieldEditor
        field={field}
        value={record.values[field.id]}
        zone={zone}
        begins={editing.begins}
        refused={refused?.record === record.id && refused.field === field.id ? refused : undefined}
        onDone={(value) => {
          onLeave(to.current);
          if (value !== undefined) onEdit(editing.of, field, value); // as it was when editing began
        }}
      />
    </span>
  );
}
