import type { FieldView } from "../fieldView";

/** The name of “Ada Reed <ada@stbride.example>”, else the address. */
export default { width: 160, reads: (value) => String(value).replace(/ <[^<>]*>$/, "") } satisfies FieldView;
