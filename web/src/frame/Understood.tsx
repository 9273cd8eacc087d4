import type { Reading } from "./useUnderstanding";

interface Props {
  reading: Reading;
  several: boolean;
  each: boolean;
  onEach: (each: boolean) => void;
  pages: boolean;
  onPages: (pages: boolean) => void;
}

/** What the lines would be kept as: the name, and each field with what it is taken for. */
export function Understood({ reading, several, each, onEach, pages, onPages }: Props) {
  return (
    <div className="understood" role="status" aria-label="Understood">
      {reading.lines.slice(0, 6).map((line, n) => (
        <div key={n} className="row wrapped">
          <b>{line.title || "Nothing yet"}</b>
          {line.pieces.map((p) => (
            <span key={p.start} className="piece">
              <small>{p.name}</small> {p.said}
            </span>
          ))}
          {line.text && (
            <span className="quiet">
              with {line.text.split("\n").length === 1 ? "a line" : `${line.text.split("\n").length} lines`} of text
            </span>
          )}
          {line.wrong.map((w) => (
            <span key={w} className="bad">
              ! {w}
            </span>
          ))}
          {line.unclear.map((u) => (
            <span key={u} className="look">
              ? {u}
            </span>
          ))}
          {line.needs.length > 0 && (
            <span className="look">
              needs {line.needs.join(", ")}: type it as “{line.needs[0]}: …”
            </span>
          )}
        </div>
      ))}
      {reading.lines.length > 6 && (
        <div className="quiet">and {reading.lines.length === 20 ? "more" : reading.lines.length - 6 + " more"}</div>
      )}
      {reading.lines.some((line) => line.pieces.some((p) => /^https?:/.test(p.said))) && (
        <label>
          <input type="checkbox" checked={pages} onMouseDown={(e) => e.preventDefault()} onChange={(e) => onPages(e.target.checked)} /> Save
          the page’s title, author and text too
        </label>
      )}
      {several && (
        <div className="row">
          <button type="button" className="link" onMouseDown={(e) => e.preventDefault()} onClick={() => onEach(!each)}>
            {each ? "Create one record, with the other lines as its text" : "Create one record per line"}
          </button>
        </div>
      )}
    </div>
  );
}
