import type { ReactNode } from "react";
import { useMe } from "../../api/queries";
import { dateTime } from "../../parts/dates";
import type { Cell, Line } from "./model";

const MARKS: Partial<Record<Line["verb"], string>> = { shape: "=", update: "≠", add_or_update: "±", delete: "×" };

/** A rehearsed cell: a mark of its own shape, a word, and what there is to add. */
export function TrialCell({ cell, verb }: { cell: Cell | undefined; verb: Line["verb"] }): ReactNode {
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
          <span className="mk ok">✓</span>goes on
          <br />
          <span className="quiet">{cell.note}</span>
        </>
      );
    case "passed_by":
      return (
        <span className="st">
          <span className="mk">▬</span>passed by
          <br />
          <span className="quiet">{cell.note}</span>
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
          {wrong || 1} to put right
          <br />
          <span className="quiet" style={{ fontWeight: 400 }}>
            {cell.parts.length > 0 ? `${fit} made` : `${fit} fields fit`}
          </span>
        </span>
      );
    default:
      return (
        <span className="made">
          <span className="mk ok">{MARKS[verb] ?? "+"}</span>
          {short}
          <br />
          {rest && (
            <span className="quiet clip" title={cell.note}>
              {rest}
            </span>
          )}
          {cell.doubts > 0 && <span className="look">? {cell.doubts} to look at</span>}
        </span>
      );
  }
}

const OUTCOMES: Record<string, ReactNode> = {
  in: (
    <>
      <span className="mk ok">●</span>in
    </>
  ),
  goes_on: (
    <>
      <span className="mk ok">✓</span>went on
    </>
  ),
  passed_by: (
    <span className="st">
      <span className="mk">▬</span>passed by
    </span>
  ),
  fits: (
    <>
      <span className="mk ok">=</span>made
    </>
  ),
  found_none: (
    <span className="st">
      <span className="mk">◇</span>none found
    </span>
  ),
  waited: (
    <>
      <span className="mk ok">◕</span>waited
    </>
  ),
  skipped: <span className="quiet">left out</span>,
  failed: (
    <span className="bad">
      <span className="mk">!</span>failed
    </span>
  ),
};

const WRITTEN: Record<string, { mark: string; word: string; look: string }> = {
  added: { mark: "+", word: "", look: "ok" },
  updated: { mark: "≠", word: "updated", look: "ok" },
  unchanged: { mark: "=", word: "as it was:", look: "st" },
  deleted: { mark: "×", word: "deleted", look: "st" },
};

function Rests({ until }: { until: string }) {
  const zone = useMe().data?.timezone ?? "UTC";
  return (
    <>
      <span className="mk look">◔</span>rests until
      <br />
      <span className="quiet">{dateTime(until, zone)}</span>
    </>
  );
}

/** What a line did in a run. */
export function OutcomeCell({ outcome, output }: { outcome: string; output: unknown }): ReactNode {
  if (outcome === "found") {
    const { count, title: name } = output as { count: number; title: string };
    return (
      <span className="clip">
        <span className="mk ok">◆</span>
        {count === 1 ? name : `${count} found: ${name}`}
      </span>
    );
  }
  if (outcome === "waits") return <Rests until={(output as { until: string }).until} />;
  const written = WRITTEN[outcome];
  if (!written) return OUTCOMES[outcome] ?? outcome;
  const title = (output as { title?: string } | null)?.title;
  return (
    <span className="clip">
      <span className={`mk ${written.look}`}>{written.mark}</span>
      {written.word} {title || "a record"}
    </span>
  );
}

export const RUN_STATES: Record<string, { mark: string; word: string; look: string }> = {
  waiting: { mark: "◌", word: "waiting", look: "look" },
  running: { mark: "◐", word: "running", look: "look" },
  done: { mark: "●", word: "done", look: "ok" },
  passed_by: { mark: "▬", word: "passed by", look: "st" },
  failed: { mark: "!", word: "failed", look: "bad" },
};

export function RunState({ state }: { state: string }) {
  const known = RUN_STATES[state] ?? { mark: "?", word: state, look: "quiet" };
  return (
    <span className={known.look}>
      <span className="mk">{known.mark}</span>
      {known.word}
    </span>
  );
}
