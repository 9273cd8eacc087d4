import { databaseOf } from "../screens/timetable/carried";
import type { Adds, Document, Line, Ref } from "../screens/timetable/model";
import { broughtViews } from "./brought";
import type { Around, LineView, Sentence } from "./lineView";

const found = import.meta.glob<LineView<Line>>("./*/view.tsx", { eager: true, import: "default" });
const views = new Map(Object.entries(found).map(([path, view]) => [path.split("/")[1] ?? "", view]));

/** How a kind of line is shown and edited: by a view in its folder here, else by the form that the package has that brings it. */
export function viewOf(verb: Line["verb"]): LineView<Line> {
  const view = views.get(verb) ?? broughtViews().get(verb);
  if (!view) throw new Error(`there is no view of lines of the kind ${verb}`);
  return view;
}

/** The kinds that can be added, in the order in which they are offered. */
export const offered = (): { verb: Line["verb"]; words: string }[] =>
  [...views, ...broughtViews()]
    .flatMap(([verb, { offered: as }]) => (as ? [{ verb: verb as Line["verb"], ...as }] : []))
    .sort((a, b) => a.rank - b.rank);

export function sentenceOf(line: Line, app: Around["app"], databases: Around["databases"], document?: Around["document"]): Sentence {
  return viewOf(line.verb).sentence(line, { app, databases, document });
}

/** How what a line writes is undone; nothing of a line that only reads. */
export function undoneBy(line: Line, document: Document, databases: Around["databases"]): string | undefined {
  const { undone } = viewOf(line.verb);
  return typeof undone === "function" ? undone(databaseOf(line, document, databases)) : undone;
}

export const addsRecord = (line: Line | undefined): line is Adds => !!line && !!viewOf(line.verb).adds;

export const usedBy = (line: Line | undefined): Ref[] => (line && viewOf(line.verb).uses?.(line)) ?? [];
