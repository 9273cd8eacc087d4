import { day } from "../../parts/dates";
import type { FieldView } from "../fieldView";

export default { width: 112, reads: (value) => day(`${String(value)}T12:00:00Z`, "UTC") } satisfies FieldView;
