import type { Schemas } from "../../api/client";
import type { RecordOut } from "../../api/queries";
import { barWords, type Bars } from "./Bar";

interface Props extends Bars {
  calendar: Schemas["CalendarOut"] | undefined;
  /** Put a record onto the day one looks at. */
  onDate: (record: RecordOut) => void;
}

/** The records without a date: dragged into the calendar, or put onto its day by a key. */
export function Margin({ calendar, field, fields, zone, chosen, dragged, start, onOpen, onDate }: Props) {
  const undated = calendar?.undated ?? [];
  const count = calendar?.undated_count ?? 0;
  return (
    <aside className="margin" aria-label={`Without ${field.name}`}>
      <h3 className="head-of">
        Without a date <small>{count}</small>
      </h3>
      <ul>
        {undated.map((one) => {
          const [title, told] = barWords(one, fields, field, zone);
          const { id } = one.record;
          return (
            <li key={id} className={`${id === chosen ? "chosen" : ""}${dragged?.id === id ? " away" : ""}`}>
              <div
                role="button"
                tabIndex={0}
                aria-keyshortcuts="Enter Alt+ArrowLeft"
                onPointerDown={start(id, false)}
                onClick={() => onOpen(id)}
                onKeyDown={(event) => {
                  if (event.key === "Enter") onOpen(id);
                  if (!event.altKey || event.key !== "ArrowLeft") return;
                  event.preventDefault();
                  onDate(one.record);
                }}
              >
                <b>{title}</b>
                <span>{told}</span>
              </div>
            </li>
          );
        })}
      </ul>
      {count > undated.length && <p className="quiet padded">and {count - undated.length} more</p>}
    </aside>
  );
}
