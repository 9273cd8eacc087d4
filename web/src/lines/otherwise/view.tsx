import type { LineView } from "../lineView";
import type { Otherwise } from "../../screens/timetable/model";

export default {
  fixed: true,
  sentence: () => ({ verb: "Otherwise", object: "", detail: "" }),
  Panel: () => (
    <p className="quiet">Lines in here run for samples that match none of the ways above. Without lines, they continue below.</p>
  ),
} satisfies LineView<Otherwise>;
