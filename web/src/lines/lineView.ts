import type { ComponentType } from "react";
import type { App, Database, Sample, WorkflowDetail } from "../api/queries";
import type { Place } from "../screens/beside/place";
import type { Cell, Document, Line, Ref, Rehearsal } from "../screens/timetable/model";

/** What a line's panel is given. */
export interface PanelProps<L> {
  line: L;
  workflow: WorkflowDetail;
  document: Document;
  cell: Cell | undefined;
  cells: Cell[];
  findings: Rehearsal["findings"];
  databases: Database[];
  sample: Sample | undefined;
  onChange: (line: Line) => void;
  setDocument: (document: Document) => void;
  choose: (line: string) => void;
}

/** A line's sentence: its verb, what it is about, and what there is to add. */
export interface Sentence {
  verb: string;
  object: string;
  detail: string;
}

/** What a sentence can name. */
export interface Around {
  app: App | undefined;
  databases: Database[];
  document: Document | undefined;
}

/** How a kind of line is shown and edited; each is the default export of `lines/<verb>/view.tsx`. */
export interface LineView<L> {
  /** Where it stands among the kinds that can be added, and in which words; none where it comes with another. */
  offered?: { rank: number; words: string };
  /** Whether it always stands where it is: it is neither removed nor duplicated. */
  fixed?: boolean;
  /** What it is called where it is to be removed: a line. */
  called?: string;
  /** Whether its cell, where a sample goes on, is its note alone. */
  plain?: boolean;
  /** Lines on which nothing is said yet, under an id that is new. */
  empty?: (id: string) => [Line, ...Line[]];
  sentence: (line: L, around: Around) => Sentence;
  Panel: ComponentType<PanelProps<L>>;
  /** The carried values that it uses, for underlining; those within formulas are the server's to know. */
  uses?: (line: L) => Ref[];
  /** What stands before what it makes, in the grid. */
  mark?: string;
  /** How what it writes is undone, where it writes. */
  undone?: string | ((database: Database | undefined) => string);
  /** Whether it may add a record, and whether the record that it fills may have been there before. */
  adds?: boolean;
  there?: boolean;
  /** Where it brings something, live beside the source. */
  target?: (line: L, database: Database | undefined) => Place | null | undefined;
  /** What a record that it holds is called. */
  holds?: string;
}
