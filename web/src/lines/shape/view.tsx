import type { LineView } from "../lineView";
import type { Shape } from "../../screens/timetable/model";
import { ShapePanel } from "./ShapePanel";
import { ofMaking } from "../refs";

export default {
  offered: { rank: 2, words: "Shape: make new values from those above" },
  empty: (id) => [{ verb: "shape", id, within: "", values: [] }],
  sentence: (line) => {
    const names = line.values.map((v) => v.name || "unnamed").join(", ");
    const object = line.values.length === 1 ? "a value" : line.values.length ? `${line.values.length} values` : "values";
    return { verb: "Shape", object, detail: names || "Add value" };
  },
  Panel: ({ line, cell, findings, onChange }) => <ShapePanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => line.values.flatMap((v) => ofMaking(v.made)),
  mark: "=",
} satisfies LineView<Shape>;
