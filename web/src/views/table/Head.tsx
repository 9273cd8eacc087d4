import { useState, type CSSProperties, type PointerEvent } from "react";
import { useTypeOf, type Field } from "../../api/queries";
import { columnsOf } from "../ColumnsEditor";
import type { Viewing } from "../useView";

export const PICK = 34; // px, of the column in which records are chosen
const STEP = 16; // px, by which a key widens a column
const NARROWEST = 60;
const WIDEST = 800;

interface Props {
  viewing: Viewing;
  fields: Field[];
  columns: Field[];
  /** How many of the fields are the database's own. */
  own: number;
  styleOf: (column: number) => CSSProperties;
  wide: number;
  ids: number[];
  picked: ReadonlySet<number>;
  onPick: (picked: ReadonlySet<number>) => void;
  widthOf: (field: Field) => number;
  onWidth: (field: string, width: number) => void;
}

/** The heads of the columns: dragged to another place, widened at their edge, and chosen to sort by. */
export function Head({ viewing, fields, columns, own, styleOf, wide, ids, picked, onPick, widthOf, onWidth }: Props) {
  const { view, edit } = viewing;
  const typeOf = useTypeOf();
  const [dragged, setDragged] = useState<string | null>(null);
  const chosen = columnsOf(view, fields, own);
  const bound = (width: number) => Math.round(Math.min(Math.max(width, NARROWEST), WIDEST));
  const keepWidth = (field: Field, width: number) =>
    edit({ columns: chosen.map((c) => (c.field === field.id ? { ...c, width: bound(width) } : c)) });
  const widen = (field: Field) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    const [start, width, grip] = [event.clientX, widthOf(field), event.currentTarget];
    grip.setPointerCapture(event.pointerId);
    grip.onpointermove = (to) => onWidth(field.id, bound(width + to.clientX - start));
    grip.onpointerup = (to) => {
      grip.onpointermove = grip.onpointerup = null;
      keepWidth(field, width + to.clientX - start);
    };
  };
  const moveTo = (field: string) => {
    const moved = chosen.find((c) => c.field === dragged);
    const rest = chosen.filter((c) => c.field !== dragged);
    const place = chosen.findIndex((c) => c.field === field);
    setDragged(null);
    if (moved && dragged !== field) edit({ columns: [...rest.slice(0, place), moved, ...rest.slice(place)] });
  };
  return (
    <div className="thead" role="row" style={{ width: wide }}>
      <div className="th kept" role="columnheader" style={{ width: PICK, left: 0 }}>
        <input
          type="checkbox"
          aria-label="Select all shown"
          checked={ids.length > 0 && ids.every((id) => picked.has(id))}
          onChange={(event) => onPick(new Set(event.target.checked ? ids : []))}
        />
      </div>
      {columns.map((field, n) => {
        const order = view.order?.find((o) => o.field === field.id);
        return (
          <div
            key={field.id}
            className={`th${styleOf(n).left !== undefined ? " kept" : ""}${dragged && dragged !== field.id ? " takes" : ""}`}
            role="columnheader"
            aria-sort={order ? (order.descending ? "descending" : "ascending") : undefined}
            style={styleOf(n)}
            draggable
            onDragStart={() => setDragged(field.id)}
            onDragEnd={() => setDragged(null)}
            onDragOver={(event) => dragged && event.preventDefault()}
            onDrop={() => moveTo(field.id)}
          >
            <b>
              {field.name}
              {order && <span aria-hidden="true"> {order.descending ? "↓" : "↑"}</span>}
            </b>
            <small className="quiet">{typeOf(field.type)?.name}</small>
            <div
              className="grip"
              onPointerDown={widen(field)}
              role="separator"
              aria-orientation="vertical"
              aria-label={`Width of ${field.name}`}
              aria-valuenow={widthOf(field)}
              aria-valuemin={NARROWEST}
              aria-valuemax={WIDEST}
              tabIndex={0}
              onKeyDown={(event) => {
                const by = event.key === "ArrowRight" ? STEP : event.key === "ArrowLeft" ? -STEP : 0;
                if (by) keepWidth(field, widthOf(field) + by);
              }}
            />
          </div>
        );
      })}
    </div>
  );
}
