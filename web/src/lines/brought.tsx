import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { LINE_KINDS } from "../api/queries";
import type { Line, Part } from "../screens/timetable/model";
import { FormPanel } from "./FormPanel";
import type { LineView } from "./lineView";
import { inWords, ofParts } from "./refs";

export type LineKind = Schemas["LineKindOut"];
export type Blank = LineKind["blanks"][number];

/** Views of the kinds that other packages bring. A kind stays as it is while Kelvix runs, so its view is made once: where it is read. */
const views = new Map<string, LineView<Line>>();

export const broughtViews = (): ReadonlyMap<string, LineView<Line>> => views;

/** What is filled in on a line of a kind that another package brings. */
export const valueOf = (line: Line, key: string): unknown => Object.entries(line).find(([name]) => name === key)?.[1];

export const partsOf = (line: Line, blank: Blank): Part[] =>
  blank.takes === "filling" ? ((valueOf(line, blank.key) as Part[] | undefined) ?? []) : [];

function told(line: Line, blank: Blank | undefined): string {
  if (!blank) return "";
  return blank.takes === "filling" ? inWords(partsOf(line, blank)) : String(valueOf(line, blank.key) ?? "");
}

function made(kind: LineKind): LineView<Line> {
  return {
    offered: { rank: kind.rank, words: kind.offered },
    empty: (id) => [{ ...kind.empty, id } as unknown as Line],
    sentence: (line) => ({
      verb: kind.verb_words,
      object: kind.object,
      detail: told(
        line,
        kind.blanks.find((b) => b.key === kind.detail),
      ),
    }),
    Panel: (props) => <FormPanel kind={kind} {...props} />,
    uses: (line) => kind.blanks.flatMap((b) => ofParts(partsOf(line, b))),
    ...(kind.mark && { mark: kind.mark }),
    ...(kind.undone && { undone: kind.undone }),
  };
}

/** Read the kinds that other packages bring; screens that show lines wait for it. */
export function useBroughtKinds() {
  const kinds = useQuery(LINE_KINDS);
  kinds.data?.filter((kind) => !views.has(kind.verb)).forEach((kind) => views.set(kind.verb, made(kind)));
  return kinds;
}
