import type { CSSProperties, KeyboardEvent, PointerEvent } from "react";
import type { Schemas } from "../../api/client";
import type { Field, RecordOut } from "../../api/queries";
import { reads } from "../../fields";
import { columnsOf } from "../ColumnsEditor";
import { TONES } from "../MarksEditor";
import type { Shown, View } from "../queries";
import { clock, longDay } from "./days";
import { movedBy, stretchedBy, type Dated } from "./moves";
import type { Dragged } from "./useDragging";

/** What days and their bars are drawn with. */
export interface Bars {
  shown: Dated[];
  /** The field that dates the records. */
  field: Field;
  fields: Field[];
  zone: string;
  chosen: number | null;
  marks: View["marks"];
  today: string;
  dragged: Dragged | null;
  start: (id: number, isEnd: boolean) => (event: PointerEvent<HTMLElement>) => void;
  onOpen: (record: number) => void;
  write: (record: RecordOut, value: string | null) => void;
}

type Piece = Schemas["DayPiece"];

interface Props extends Bars {
  one: Dated;
  piece: Piece;
  style?: CSSProperties;
  /** Its time is told, where no hours stand beside. */
  tellsTime?: boolean;
  /** Minutes by which arrow keys move it up and down; days where there are no hours. */
  step: { minutes: number } | { days: number };
}

const TOLD = 2; // fields below the title

/** The title of a record and what it tells beside, but for its date. */
export function barWords(shown: Shown, fields: Field[], field: Field, zone: string): [title: string, told: string] {
  const [title, ...others] = columnsOf({ columns: [] } as unknown as View, fields, fields.length).flatMap(
    (c) => fields.find((f) => f.id === c.field) ?? [],
  );
  const told = others
    .filter((f) => f.id !== field.id && f.can_write)
    .map((f) => reads(f, shown.record.values[f.id], zone))
    .filter(Boolean);
  return [(title && reads(title, shown.record.values[title.id], zone)) || "Untitled", told.slice(0, TOLD).join(" · ")];
}

/** A record on a day of a calendar: dragged, stretched at its end, and both by arrow keys. */
export function Bar({ one, piece, style, tellsTime, step, ...bars }: Props) {
  const { field, fields, zone, marks, chosen, dragged, start, onOpen, write } = bars;
  const { record } = one.shown;
  const [title, told] = barWords(one.shown, fields, field, zone);
  const mark = one.shown.mark == null ? undefined : marks[one.shown.mark];
  const value = record.values[field.id];
  const canEnd = piece.ends && String(value).includes("/");
  const at = one.has_clock ? `${clock(piece.start)}${canEnd ? `–${clock(piece.end)}` : ""}` : "";
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === "Enter") return onOpen(record.id);
    const sign = event.key === "ArrowUp" || event.key === "ArrowLeft" ? -1 : 1;
    const isAcross = event.key === "ArrowLeft" || event.key === "ArrowRight";
    if (!event.altKey || !event.key.startsWith("Arrow")) return;
    event.preventDefault();
    const [days, minutes] = isAcross ? [sign, 0] : "days" in step ? [sign * step.days, 0] : [0, sign * step.minutes];
    write(record, event.shiftKey ? stretchedBy(one, value, days, minutes) : movedBy(one, value, days, minutes));
  };
  return (
    <div
      className={`bar${mark ? ` mark-${mark.tone}` : ""}${record.id === chosen ? " chosen" : ""}${dragged?.id === record.id ? " away" : ""}${piece.begins ? "" : " goes-on"}`}
      style={style}
      role="button"
      tabIndex={0}
      aria-keyshortcuts="Enter Alt+ArrowUp Alt+ArrowDown Alt+ArrowLeft Alt+ArrowRight"
      onPointerDown={start(record.id, false)}
      onClick={() => onOpen(record.id)}
      onKeyDown={onKeyDown}
    >
      <b>
        {mark && (
          <i className="sign" aria-hidden="true">
            {TONES[mark.tone].sign}{" "}
          </i>
        )}
        {tellsTime && at && <span className="at">{clock(piece.start)} </span>}
        {title} <span className="unseen">{[longDay(piece.day), at, mark && TONES[mark.tone].words].filter(Boolean).join(", ")}</span>
      </b>
      {!tellsTime && <span>{told}</span>}
      {canEnd && <i className="end" aria-hidden="true" onPointerDown={start(record.id, true)} />}
    </div>
  );
}
