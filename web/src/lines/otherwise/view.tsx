import type { LineView } from "../lineView";
import type { Otherwise } from "../../screens/timetable/model";

export default {
  fixed: true,
  sentence: () => ({ verb: "Otherwise", object: "", detail: "" }),
  Panel: () => (
    <p className="quiet">The lines within this one are for samples that go none of the ways above. Leave it empty to let them pass on.</p>
  ),
} satisfies LineView<Otherwise>;
