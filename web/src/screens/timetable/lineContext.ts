import { createContext, useContext } from "react";
import type { Carried, Document, Ref, Rehearsal } from "./model";

/** What the parts of a line's panel need to know of where they stand. */
export interface LineContext {
  workflow: number;
  document: Document;
  line: string;
  sample: number | null;
  rehearsal: Rehearsal | undefined;
  carried: Carried[];
  shown: (ref: Ref) => string;
  follow: (ref: Ref) => void;
  /** Let Find lines read anew. */
  readAgain: () => void;
  /** Save the draft as it is by now; false where that failed. */
  flush: () => Promise<boolean>;
}

export const LinePlace = createContext<LineContext | null>(null);

/** `gone` is what a value is called that is not among those carried; until these are known, none is missing. */
export function useLine(): LineContext & { gone: string } {
  const found = useContext(LinePlace);
  if (!found) throw new Error("this stands outside a line's panel");
  return { ...found, gone: found.rehearsal ? "no longer available" : "…" };
}
