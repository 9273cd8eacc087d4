import { useEffect, useRef, type KeyboardEvent, type ReactNode } from "react";
import type { App, Database } from "../../api/queries";
import { sentenceOf } from "../../lines";
import type { Document, Line } from "./model";
import { useNarrow } from "../../parts/useNarrow";
import { depth } from "./nesting";
import { OneUp } from "./OneUp";

export interface Column {
  id: number;
  head: string;
  title: string;
  mark?: ReactNode;
}

export interface GridProps {
  document: Document;
  columns: Column[];
  line: string | null;
  column: number | null;
  corner: ReactNode;
  /** What the corner is called where it is folded up. */
  cornerName: string;
  app: App | undefined;
  databases: Database[];
  cell: (line: Line, column: Column) => ReactNode;
  detail: (line: Line) => string;
  foot?: ReactNode;
  label: string;
  choose: (line: string, column: number | null) => void;
  onKey?: (event: KeyboardEvent) => void;
}

/** The timetable's grid: lines down, samples or runs across; on a phone one of these at a time. */
export function Grid(props: GridProps) {
  return useNarrow() ? <OneUp {...props} /> : <Wide {...props} />;
}

/** Arrow keys move, Enter goes into the line below. */
function Wide(props: GridProps) {
  const { document, columns, line, column } = props;
  const chosen = useRef<HTMLTableCellElement>(null);
  const byKeys = useRef(false); // the focus goes along where keys have led, not where a click has
  const pressed = useRef(false); // what was pressed is in sight
  const shown = document.lines.some((l) => l.id === line);
  useEffect(() => {
    if (byKeys.current) chosen.current?.focus();
    byKeys.current = false;
  }, [line, column]);
  useEffect(() => {
    if (!pressed.current) void chosen.current?.scrollIntoView({ block: "nearest", inline: "nearest" });
    pressed.current = false;
  }, [line, shown]);

  const choose = props.choose;
  const press = (to: string, at: number | null) => {
    pressed.current = to !== line;
    choose(to, at);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const on = event.target as HTMLElement;
    if (on.matches("input, [role=combobox]") || (on.matches("button, a") && event.key === "Enter" && !event.ctrlKey)) return; // it has keys of its own
    const row = Math.max(
      0,
      document.lines.findIndex((l) => l.id === line),
    );
    const at = columns.findIndex((c) => c.id === column);
    const go = (toRow: number, toColumn: number) => {
      event.preventDefault();
      const next = document.lines[Math.min(Math.max(toRow, 0), document.lines.length - 1)];
      if (!next) return;
      const to = { line: next.id, column: columns[Math.min(Math.max(toColumn, 0), columns.length - 1)]?.id ?? null };
      byKeys.current = to.line !== line || to.column !== column;
      choose(to.line, to.column);
    };
    if (event.key === "ArrowDown") go(row + 1, at);
    else if (event.key === "ArrowUp") go(row - 1, at);
    else if (event.key === "ArrowRight") go(row, at + 1);
    else if (event.key === "ArrowLeft") go(row, at - 1);
    else props.onKey?.(event);
  };

  return (
    <div className="scroll lines">
      <table className="grid" role="grid" aria-label={props.label} onKeyDown={onKeyDown}>
        <colgroup>
          <col className="w-380" />
          {columns.map((c) => (
            <col key={c.id} className={columns.length > 6 ? "w-150" : undefined} />
          ))}
        </colgroup>
        <thead>
          <tr>
            <th className="wrap">{props.corner}</th>
            {columns.map((c) => (
              <th key={c.id} className={c.id === column ? "chosen" : ""} aria-current={c.id === column}>
                <button className="colhead" tabIndex={-1} onClick={() => choose(line ?? document.lines[0]?.id ?? "", c.id)}>
                  <b>
                    {c.head} {c.mark}
                  </b>
                  <span className="clip">{c.title}</span>
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {document.lines.map((l, n) => {
            const { verb, object, detail } = sentenceOf(l, props.app, props.databases, props.document);
            return (
              <tr key={l.id} className={l.id === line ? "chosen" : n % 2 ? "alt" : ""}>
                <td
                  ref={columns.length === 0 && l.id === line ? chosen : undefined}
                  tabIndex={columns.length === 0 && l.id === line ? 0 : -1} // with no samples yet, one goes along the lines themselves
                  onClick={() => press(l.id, column)}
                  style={{ paddingLeft: 10 + 16 * depth(document, l) }}
                >
                  <span className="no">{n + 1}</span>
                  <span className="verb">{verb}</span>
                  <span className="obj">{object}</span>
                  <span className="det">{props.detail(l) || detail}</span>
                </td>
                {columns.map((c) => {
                  const isHere = l.id === line && c.id === column;
                  return (
                    <td
                      key={c.id}
                      ref={isHere ? chosen : undefined}
                      tabIndex={isHere || (n === 0 && c === columns[0] && column === null) ? 0 : -1}
                      className={isHere ? "chosen" : ""}
                      aria-selected={isHere}
                      onClick={() => press(l.id, c.id)}
                    >
                      {props.cell(l, c)}
                    </td>
                  );
                })}
              </tr>
            );
          })}
          {props.foot && (
            <tr>
              <td colSpan={columns.length + 1}>{props.foot}</td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}
