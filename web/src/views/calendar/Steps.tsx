import type { ReactNode } from "react";
import { said, type Schemas } from "../../api/client";

interface Props {
  /** The days that are shown. */
  name: string;
  read: { data: Schemas["CalendarOut"] | undefined; error: unknown };
  onStep: (by: number) => void;
  onToday: () => void;
  children?: ReactNode;
}

/** The way to other days. */
export function Steps({ name, read, onStep, onToday, children }: Props) {
  return (
    <div className="row steps-of">
      <button className="link" onClick={() => onStep(-1)}>
        ‹ Earlier
      </button>
      <button className="link" onClick={onToday}>
        Today
      </button>
      <button className="link" onClick={() => onStep(1)}>
        Later ›
      </button>
      <h2 className="grow" aria-live="polite">
        {name}
      </h2>
      {read.error != null && <span className="bad">{said(read.error)}</span>}
      {read.data?.more && <span className="bad">More records than can be shown. Add a condition to see them all.</span>}
      {children}
    </div>
  );
}
