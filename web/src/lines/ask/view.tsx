import type { LineView } from "../lineView";
import type { Ask } from "../../screens/timetable/model";
import { AskPanel } from "./AskPanel";
import { inWords, ofMaking, ofParts } from "../refs";

export default {
  offered: { rank: 6, words: "Ask: let a person say yes or no, and edit" },
  empty: (id) => [{ verb: "ask", id, within: "", asking: [], shown: [], no: "pass_by" }],
  sentence: (line) => ({ verb: "Ask", object: "for approval", detail: inWords(line.asking) || "enter a question" }),
  Panel: ({ line, cell, findings, onChange }) => <AskPanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => [...ofParts(line.asking), ...line.shown.flatMap((v) => ofMaking(v.made))],
} satisfies LineView<Ask>;
