import type { Document, Line } from "./model";

/** The line that a line stands within; none for those on the outermost level. */
export const withinOf = (line: Line): string => ("within" in line ? line.within : "");

/** The ids of the lines that a line stands within, the nearest first. */
export function ancestors(document: Document, line: Line): string[] {
  const found: string[] = [];
  for (let at = withinOf(line); at && !found.includes(at);) {
    found.push(at);
    const holder = document.lines.find((l) => l.id === at);
    at = holder ? withinOf(holder) : "";
  }
  return found;
}

/** How deep a line is indented. */
export const depth = (document: Document, line: Line) => ancestors(document, line).length;

/** Where what stands within a line ends: the place of the next line that does not. */
export function endOf(document: Document, at: number): number {
  const line = document.lines[at];
  if (!line) return at;
  const inside = new Set([line.id]);
  let end = at + 1;
  for (let next = document.lines[end]; next && inside.has(withinOf(next)); next = document.lines[++end]) inside.add(next.id);
  return end;
}

/** The lines that have been carried out wherever a line begins: those before it on its level and on those it stands within. */
export function above(document: Document, id: string): Line[] {
  const at = document.lines.findIndex((l) => l.id === id);
  const line = document.lines[at];
  if (!line) return [];
  const around = ["", ...ancestors(document, line)];
  return document.lines
    .slice(0, at)
    .filter((l) => around.includes(withinOf(l)) && (!["way", "otherwise"].includes(l.verb) || around.includes(l.id)));
}

export const isWithin = (document: Document, id: string, block: string) => {
  const line = document.lines.find((l) => l.id === id);
  return !!line && ancestors(document, line).includes(block);
};

const isWay = (line: Line | undefined) => line?.verb === "way" || line?.verb === "otherwise";
const holdsLines = (line: Line | undefined) => isWay(line) || line?.verb === "repeat";

/** A place that a line can be put at: before the line at `at`, within another. */
interface Slot {
  at: number;
  within: string;
}

/** All places where an ordinary line can stand, from the top. */
function slots(document: Document): Slot[] {
  const found: Slot[] = [];
  const through = (from: number, to: number, block: string) => {
    for (let at = from; at < to; at = endOf(document, at)) {
      const line = document.lines[at];
      if (!line) return;
      if (!isWay(line)) found.push({ at, within: block });
      if (line.verb === "decide" || holdsLines(line)) through(at + 1, endOf(document, at), line.id);
    }
    if (document.lines.find((l) => l.id === block)?.verb !== "decide") found.push({ at: to, within: block });
  };
  through(0, document.lines.length, "");
  return found.slice(1); // nothing stands before the When line
}

const put = (line: Line, within: string): Line => ("within" in line ? { ...line, within } : line);

/** Move a line, with all that stands within it, one place up or down: into what it meets, and out again. Ways change places. */
export function moveLine(document: Document, id: string, by: 1 | -1): Document {
  const at = document.lines.findIndex((l) => l.id === id);
  const line = document.lines[at];
  if (!line || at < 1 || line.verb === "otherwise") return document;
  if (line.verb === "way") return moveWay(document, at, by);
  const part = document.lines.slice(at, endOf(document, at));
  const rest: Document = { lines: [...document.lines.slice(0, at), ...document.lines.slice(at + part.length)] };
  const places = slots(rest);
  const now = places.findIndex((s) => s.at === at && s.within === withinOf(line));
  const to = places[now + by];
  if (!to) return document;
  const [first, ...more] = part as [Line, ...Line[]];
  const lines = [...rest.lines];
  lines.splice(to.at, 0, put(first, to.within), ...more);
  return { lines };
}

function moveWay(document: Document, at: number, by: 1 | -1): Document {
  const line = document.lines[at] as Line;
  const ways = document.lines.flatMap((l, n) => (l.verb === "way" && withinOf(l) === withinOf(line) ? [n] : []));
  const other = ways[ways.indexOf(at) + by];
  if (other === undefined) return document;
  const [first, second] = by === 1 ? [at, other] : [other, at];
  const lines = [...document.lines];
  lines.splice(first, 0, ...lines.splice(second, endOf(document, second) - second));
  return { lines };
}

/** Add lines below another: within it where lines can stand there, else after it and all that stands within it. */
export function addLines(document: Document, made: [Line, ...Line[]], after: string | null): Document {
  const at = document.lines.findIndex((l) => l.id === after);
  const line = document.lines[at];
  const [first, ...more] = made;
  const lines = [...document.lines];
  if (!line) return { lines: [...lines, ...made] };
  const inside = holdsLines(line);
  lines.splice(inside ? at + 1 : endOf(document, at), 0, put(first, inside ? line.id : withinOf(line)), ...more);
  return { lines };
}

/** Add a way to a decision, above its Otherwise line. */
export function addWay(document: Document, decide: string, id: string): Document {
  const at = document.lines.findIndex((l) => l.verb === "otherwise" && l.within === decide);
  const lines = [...document.lines];
  lines.splice(at, 0, { verb: "way", id, mode: "all", conditions: [], name: "", within: decide });
  return { lines };
}

/** Without a line and all that stands within it. The When line stays, and so does a decision's Otherwise line. */
export function removeLine(document: Document, id: string): Document {
  const at = document.lines.findIndex((l) => l.id === id);
  const line = document.lines[at];
  if (!line || at < 1 || line.verb === "otherwise") return document;
  return { lines: [...document.lines.slice(0, at), ...document.lines.slice(endOf(document, at))] };
}
