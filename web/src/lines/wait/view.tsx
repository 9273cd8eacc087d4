import type { LineView } from "../lineView";
import type { Wait } from "../../screens/timetable/model";
import { WaitPanel } from "./WaitPanel";
import { ofParts } from "../refs";

export default {
  offered: { rank: 7, words: "Wait: for a duration, until a time or until working hours" },
  empty: (id) => [
    {
      verb: "wait",
      id,
      within: "",
      kind: "span",
      amount: 1,
      unit: "hours",
      filling: [],
      days: [1, 2, 3, 4, 5],
      begins: "09:00",
      ends: "17:00",
    },
  ],
  sentence: (line) => {
    const unit = line.amount === 1 ? line.unit.slice(0, -1) : line.unit;
    const object = line.kind === "span" ? `${line.amount} ${unit}` : line.kind === "moment" ? "until a time" : "until working hours";
    return { verb: "Wait", object, detail: line.kind === "working" ? `${line.begins} to ${line.ends}` : "" };
  },
  Panel: ({ line, cell, onChange }) => <WaitPanel line={line} cell={cell} onChange={onChange} />,
  uses: (line) => ofParts(line.filling),
} satisfies LineView<Wait>;
