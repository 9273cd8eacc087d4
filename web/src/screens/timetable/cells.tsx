import type { ReactNode } from "react";
import { viewOf } from "../../lines";
import type { Cell, Line } from "./model";

/** A rehearsed cell: a mark of its own shape, a word, and what there is to add; of what is repeated, which round it shows. */
export function TrialCell({ cell, verb }: { cell: Cell | undefined; verb: Line["verb"] }): ReactNode {
  if (!cell || cell.rounds < 2 || cell.state === "not_reached") return <OneCell cell={cell} verb={verb} />;
  return (
    <>
      <OneCell cell={cell} verb={verb} />{" "}
      <small className="quiet">
        {cell.wrong_rounds > 1 ? `in ${cell.wrong_rounds} of ${cell.rounds}` : `${cell.round} of ${cell.rounds}`}
      </small>
    </>
  );
}

function OneCell({ cell, verb }: { cell: Cell | undefined; verb: Line["verb"] }): ReactNode {
  if (!cell || cell.state === "not_reached") return null;
  const wrong = [...cell.results, ...cell.parts].filter((r) => r.state === "put_right").length;
  const fit = [...cell.results, ...cell.parts].filter((r) => r.state === "fits").length;
  const [short = "", ...more] = cell.note.split(": "); // 1 found: St Bride
  const rest = more.join(": ");
  switch (cell.state) {
    case "in":
      return (
        <>
          <span className="mk ok">●</span>in
          <br />
          <span className="quiet">{cell.note}</span>
        </>
      );
    case "goes_on":
      return (
        <>
          <span className="mk ok">✓</span>
          {viewOf(verb).plain ? (
            cell.note
          ) : (
            <>
              continues
              <br />
              <span className="quiet">{cell.note}</span>
            </>
          )}
        </>
      );
    case "passed_by":
      return (
        <span className="st">
          <span className="mk">▬</span>skipped
          <br />
          <span className="quiet">{cell.note}</span>
        </span>
      );
    case "left":
      return (
        <span className="st">
          <span className="mk">▬</span>skips the rest
        </span>
      );
    case "taken":
      return (
        <>
          <span className="mk ok">↳</span>this branch
        </>
      );
    case "not_taken":
      return <span className="quiet">·</span>;
    case "rounds":
      return (
        <span className="made">
          <span className="mk ok">≡</span>
          {cell.note}
        </span>
      );
    case "asks":
      return (
        <span className="made">
          <span className="mk look">?</span>
          {short}
          <br />
          <span className="quiet clip" title={cell.note}>
            {rest}
          </span>
        </span>
      );
    case "stops":
      return (
        <span className="st">
          <span className="mk">■</span>
          {short}
          <br />
          <span className="quiet clip" title={cell.note}>
            {rest}
          </span>
        </span>
      );
    case "found":
      return (
        <>
          <span className="mk ok">◆</span>
          {short}
          <br />
          <span className="quiet clip" title={cell.note}>
            {rest}
          </span>
        </>
      );
    case "found_none":
      return (
        <span className="st">
          <span className="mk">◇</span>
          {cell.note}
        </span>
      );
    case "waits":
      return (
        <span className="made">
          <span className="mk look">◔</span>
          {short}
          <br />
          <span className="quiet">{rest}</span>
        </span>
      );
    case "waiting":
      return <span className="quiet">… {cell.note}</span>;
    case "unready":
      return (
        <span className="quiet clip" title={cell.note}>
          {cell.note}
        </span>
      );
    case "put_right":
      return (
        <span className="bad" title={cell.note}>
          <span className="mk">!</span>
          {wrong || 1} {wrong > 1 ? "problems" : "problem"}
          <br />
          <span className="quiet light">{cell.parts.length > 0 ? `${fit} values fit` : `${fit} fields fit`}</span>
        </span>
      );
    default:
      return (
        <span className="made">
          <span className="mk ok">{viewOf(verb).mark ?? "+"}</span>
          {short}
          <br />
          {rest && (
            <span className="quiet clip" title={cell.note}>
              {rest}
            </span>
          )}
          {cell.doubts > 0 && (
            <span className="look">
              ? {cell.doubts} {cell.doubts === 1 ? "warning" : "warnings"}
            </span>
          )}
        </span>
      );
  }
}
