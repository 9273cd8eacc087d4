import type { LineView } from "../lineView";
import type { OnlyIf } from "../../screens/timetable/model";
import { OnlyIfPanel } from "./OnlyIfPanel";
import { ofTests } from "../refs";

export default {
  offered: { rank: 1, words: "Only if: continue only with some items" },
  empty: (id) => [{ verb: "only_if", id, within: "", mode: "all", conditions: [] }],
  sentence: (line) => {
    const few = line.conditions.length < 2 ? "this holds" : line.mode === "any" ? "any of these" : "all of these";
    return { verb: "Only if", object: line.mode === "none" ? "none of these" : few, detail: "" };
  },
  Panel: ({ line, cell, onChange }) => <OnlyIfPanel line={line} cell={cell} onChange={onChange} />,
  uses: (line) => ofTests(line.conditions),
} satisfies LineView<OnlyIf>;
