import { Tooltip } from "@mui/material";
import type { KeyboardEvent, MouseEvent } from "react";
import { useLine } from "./lineContext";
import { formulaWords } from "./lineWords";
import { sameRef, type Formula, type Ref } from "./model";

/** Keeps the cursor where it is: a box that loses it closes its gaps, and what one presses would move away under the mouse. */
const stay = (event: MouseEvent) => event.preventDefault();

function onDelete(remove: () => void) {
  return (event: KeyboardEvent) => {
    if (event.key !== "Delete" && event.key !== "Backspace") return;
    event.preventDefault();
    event.stopPropagation();
    remove();
  };
}

interface TokenProps {
  at: Ref;
  remove: () => void;
  /** Offered where the value can be counted with. */
  calculate?: () => void;
}

/** A value in a box: shows what it is in the sample on hover, leads back to its line, and goes with Delete. */
export function Token({ at, remove, calculate }: TokenProps) {
  const { rehearsal, carried, gone, shown, follow } = useLine();
  const known = carried.find((c) => sameRef({ line: c.line, value: c.key }, at));
  const name = known?.name ?? [gone];
  return (
    <>
      <Tooltip title={known ? shown(at).slice(0, 200) || "empty in this sample" : "This value is no longer available"}>
        <button
          type="button"
          className={known || !rehearsal ? "tok" : "tok gone"}
          aria-label={`${name.join(" › ")}: go to its line; press Delete to remove`}
          onMouseDown={stay}
          onClick={() => follow(at)}
          onKeyDown={onDelete(remove)}
        >
          {name.map((word, n) => (
            <span key={n}>
              {n > 0 && <em>›</em>}
              {word}
            </span>
          ))}
        </button>
      </Tooltip>
      {calculate && (
        <button
          type="button"
          className="step"
          aria-label={`Calculate with ${name.join(" › ")}`}
          title="Calculate with this value: add days, subtract, multiply"
          onMouseDown={stay}
          onClick={calculate}
        >
          ±
        </button>
      )}
    </>
  );
}

interface FormulaTokenProps {
  formula: Formula;
  open: boolean;
  edit: () => void;
  remove: () => void;
}

/** A formula in a box: as words where it is a simple calculation, else the beginning of it. */
export function FormulaToken({ formula, open, edit, remove }: FormulaTokenProps) {
  const { rehearsal, carried } = useLine();
  const kept = rehearsal?.formulas[formula.tree];
  const words = formulaWords(kept, carried);
  const text = kept?.text ?? (formula.text || (formula.tree ? "…" : "a formula"));
  return (
    <Tooltip title={words ? text : open ? "" : text}>
      <button
        type="button"
        className={formula.tree ? (words ? "tok words" : "tok mathematical") : "tok gone mathematical"}
        aria-label={`Formula ${words ?? text}: edit; press Delete to remove`}
        aria-expanded={open}
        onMouseDown={stay}
        onClick={edit}
        onKeyDown={onDelete(remove)}
      >
        <span className="clip">{words ?? text}</span>
      </button>
    </Tooltip>
  );
}
