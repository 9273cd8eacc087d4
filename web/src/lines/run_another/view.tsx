import type { LineView } from "../lineView";
import type { RunAnother } from "../../screens/timetable/model";
import { RunAnotherPanel } from "./RunAnotherPanel";
import { ofParts } from "../refs";

export default {
  offered: { rank: 14, words: "Run: another workflow, with values" },
  empty: (id) => [{ verb: "run_another", id, within: "", workflow: null, given: [] }],
  sentence: (line) => ({
    verb: "Run",
    object: "another workflow",
    detail: line.given.length > 0 ? `${line.given.length} values passed` : "choose a workflow",
  }),
  Panel: ({ line, cell, findings, onChange }) => <RunAnotherPanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => line.given.flatMap((g) => ofParts(g.filling)),
  mark: "»",
  undone: "undo the other workflow’s run separately",
} satisfies LineView<RunAnother>;
