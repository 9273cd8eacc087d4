import type { Field, Wire } from "../../api/queries";
import type { EditorProps, FieldView } from "../fieldView";
import { OptionsEditor } from "../OptionsEditor";

function Editor(props: EditorProps) {
  return <OptionsEditor {...props} options={props.field.choices} />;
}

const nameOf = (id: Wire, field: Field) => field.choices.find((c) => c.id === id)?.name ?? "a deleted choice";

export default {
  width: 110,
  reads: (value, field) => (field ? nameOf(value, field) : String(value)),
  Editor,
} satisfies FieldView;
