import type { EditorProps, FieldView } from "../fieldView";
import { OptionsEditor } from "../OptionsEditor";

function Editor(props: EditorProps) {
  return <OptionsEditor {...props} options={props.field.choices} />;
}

export default {
  width: 110,
  reads: (value, field) => field.choices.find((c) => c.id === value)?.name ?? "a deleted choice",
  Editor,
} satisfies FieldView;
