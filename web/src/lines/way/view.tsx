import type { LineView } from "../lineView";
import type { Way } from "../../screens/timetable/model";
import { WayPanel } from "./WayPanel";
import { ofTests } from "../refs";

export default {
  called: "way",
  sentence: (line) => ({
    verb: "If",
    object: line.name || (line.conditions.length < 2 ? "this holds" : `${line.mode} of these`),
    detail: "",
  }),
  Panel: ({ line, cell, onChange }) => <WayPanel line={line} cell={cell} onChange={onChange} />,
  uses: (line) => ofTests(line.conditions),
} satisfies LineView<Way>;
