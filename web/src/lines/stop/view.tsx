import type { LineView } from "../lineView";
import type { Stop } from "../../screens/timetable/model";
import { StopPanel } from "./StopPanel";
import { inWords, ofParts } from "../refs";

const STOPS = { done: "here: done", passed_by: "here: skipped", failed: "here: failed" } as const;

export default {
  offered: { rank: 16, words: "Stop: end here, with a reason" },
  empty: (id) => [{ verb: "stop", id, within: "", how: "passed_by", saying: [] }],
  sentence: (line) => ({ verb: "Stop", object: STOPS[line.how], detail: inWords(line.saying) }),
  Panel: ({ line, cell, onChange }) => <StopPanel line={line} cell={cell} onChange={onChange} />,
  uses: (line) => ofParts(line.saying),
} satisfies LineView<Stop>;
