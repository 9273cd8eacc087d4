import type { LineView } from "../lineView";
import type { Otherwise } from "../../screens/timetable/model";

export default {
  fixed: true,
  sentence: () => ({ verb: "Otherwise", object: "", detail: "" }),
  Panel: () => <p className="quiet">Lines here run if no branch above matches. Without lines, items continue below.</p>,
} satisfies LineView<Otherwise>;
