import type { LineView } from "../lineView";
import type { Decide } from "../../screens/timetable/model";
import { newId } from "../../screens/timetable/model";
import { DecidePanel } from "./DecidePanel";

export default {
  offered: { rank: 4, words: "Decide: choose one of several branches" },
  empty: (id) => [
    { verb: "decide", id, within: "" },
    { verb: "way", id: newId(), within: id, mode: "all", conditions: [], name: "" },
    { verb: "otherwise", id: newId(), within: id },
  ],
  plain: true,
  sentence: () => ({ verb: "Decide", object: "which branch to take", detail: "" }),
  Panel: ({ line, cells, setDocument, choose }) => <DecidePanel line={line} cells={cells} setDocument={setDocument} choose={choose} />,
} satisfies LineView<Decide>;
