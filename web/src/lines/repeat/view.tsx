import type { LineView } from "../lineView";
import type { Repeat } from "../../screens/timetable/model";
import { RepeatPanel } from "./RepeatPanel";
import { ofParts } from "../refs";

const LISTS: Record<string, string> = { attachments: "its attachments" };

export default {
  offered: { rank: 5, words: "For each: repeat lines for each attachment, record or label" },
  empty: (id) => [{ verb: "repeat", id, within: "", of: null, collects: [] }],
  sentence: (line, { document }) => {
    if (!line.of) return { verb: "For", object: "each of …", detail: "choose the list" };
    const number = (document?.lines.findIndex((l) => l.id === line.of?.line) ?? 0) + 1;
    const list = LISTS[line.of.value] ?? "a list";
    return { verb: "For", object: line.of.value === "records" ? `each record of line ${number}` : `each of ${list}`, detail: "" };
  },
  Panel: ({ line, cell, findings, onChange }) => <RepeatPanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => ofParts(line.collects),
  holds: "repeated for",
} satisfies LineView<Repeat>;
