import { dateTime } from "../../parts/dates";
import type { FieldView } from "../fieldView";

export default {
  width: 152,
  reads: (value, _, zone) => dateTime(String(value), zone),
  typed: (value, zone) => dateTime(String(value), zone),
} satisfies FieldView;
