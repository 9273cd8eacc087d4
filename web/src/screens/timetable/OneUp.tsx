import { useRef, type TouchEvent } from "react";
import { sentenceOf } from "../../lines";
import type { GridProps } from "./Grid";
import { depth } from "./nesting";

const SWIPE = 48; // pixels: less is a tap that slipped

/** The timetable on a phone: one sample or run at a time, swiped or stepped through; each line with its cell below it. */
export function OneUp({
  document,
  columns,
  line,
  column,
  corner,
  cornerName,
  app,
  databases,
  cell,
  detail,
  foot,
  label,
  choose,
  onKey,
}: GridProps) {
  const began = useRef<{ x: number; y: number } | null>(null);
  const at = Math.max(
    0,
    columns.findIndex((c) => c.id === column),
  );
  const shown = columns[at];
  const go = (to: number) => {
    const next = columns[to];
    if (next) choose(line ?? document.lines[0]?.id ?? "", next.id);
  };
  const onTouchEnd = (event: TouchEvent) => {
    const touch = event.changedTouches[0];
    if (!began.current || !touch) return;
    const [across, along] = [touch.clientX - began.current.x, touch.clientY - began.current.y];
    began.current = null;
    if (Math.abs(across) > SWIPE && Math.abs(across) > 2 * Math.abs(along)) go(at + (across < 0 ? 1 : -1));
  };
  return (
    <section
      className="oneup"
      aria-label={label}
      onKeyDown={onKey}
      onTouchStart={(event) => {
        const touch = event.touches[0];
        began.current = touch ? { x: touch.clientX, y: touch.clientY } : null;
      }}
      onTouchEnd={onTouchEnd}
    >
      {shown && (
        <div className="flip">
          <button aria-label="Previous" disabled={at === 0} onClick={() => go(at - 1)}>
            ‹
          </button>
          <div aria-live="polite">
            <b>
              {shown.head} {shown.mark}
            </b>
            <span className="clip">{shown.title}</span>
            <small className="quiet">
              {at + 1} of {columns.length}
            </small>
          </div>
          <button aria-label="Next" disabled={at === columns.length - 1} onClick={() => go(at + 1)}>
            ›
          </button>
        </div>
      )}
      <ol>
        {document.lines.map((l, n) => {
          const { verb, object, detail: more } = sentenceOf(l, app, databases, document);
          return (
            <li key={l.id} className={l.id === line ? "chosen" : ""} style={{ paddingLeft: 12 * depth(document, l) }}>
              <button aria-current={l.id === line} onClick={() => choose(l.id, shown?.id ?? null)}>
                <span>
                  <span className="no">{n + 1}</span>
                  <span className="verb">{verb}</span>
                  <span className="obj">{object}</span> <span className="quiet">{detail(l) || more}</span>
                </span>
              </button>
              {shown && <div className="cell">{cell(l, shown)}</div>}
            </li>
          );
        })}
      </ol>
      {foot}
      <details className="corner">
        <summary>{cornerName}</summary>
        {corner}
      </details>
    </section>
  );
}
