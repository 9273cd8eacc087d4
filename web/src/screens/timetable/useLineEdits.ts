import { useNotices } from "../../frame/Notices";
import { viewOf } from "../../lines";
import { newId, whenOf, type Document, type Line } from "./model";
import { addLines, removeLine } from "./nesting";
import { useDuplicate } from "./useDuplicate";

interface Props {
  workflow: number;
  draft: { document: Document; setDocument: (document: Document) => void; undo: () => void };
  chosen: Line | undefined;
  choose: (line: string) => void;
  onInserted: () => void;
}

/** Adding, duplicating and removing lines; what is removed comes back from the message that says so. */
export function useLineEdits({ workflow, draft, chosen, choose, onInserted }: Props) {
  const { document, setDocument } = draft;
  const { tell } = useNotices();
  const insert = (verb: Line["verb"], after: string | null) => {
    const id = newId();
    const made = viewOf(verb).empty?.(id);
    if (made) setDocument(addLines(document, made, after));
    choose(id);
    onInserted();
  };
  const duplicate = useDuplicate(workflow, document, (next, line) => {
    setDocument(next);
    choose(line);
  });
  const remove = () => {
    if (!chosen || viewOf(chosen.verb).fixed) return;
    const at = document.lines.indexOf(chosen);
    const before = document;
    setDocument(removeLine(document, chosen.id));
    choose(document.lines[at - 1]?.id ?? whenOf(document).id);
    tell("Line removed.", {
      label: "Undo",
      run: () => {
        setDocument(before);
        choose(chosen.id);
      },
    });
  };
  return { insert, duplicate, remove };
}
