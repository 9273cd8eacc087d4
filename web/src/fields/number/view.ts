import type { FieldView } from "../fieldView";
import { inThousands } from "./inThousands";

export default { width: 100, isNumber: true, reads: (value) => inThousands(String(value)) } satisfies FieldView;
