import type { LineView } from "../lineView";
import type { SaveFile } from "../../screens/timetable/model";
import { SaveFilePanel } from "./SaveFilePanel";
import { ofParts } from "../refs";

export default {
  offered: { rank: 12, words: "Save a file: an attachment, or a file of a record, into a folder" },
  empty: (id) => [
    {
      verb: "save_file",
      id,
      within: "",
      connection: null,
      container: null,
      container_name: "",
      folder: [],
      makes: false,
      file: [],
      name: [],
      collision: "number",
    },
  ],
  sentence: (line) => {
    const named = line.folder.length ? "into a folder chosen by name" : "choose the folder";
    return { verb: "Save", object: "a file", detail: line.container_name ? `into ${line.container_name}` : named };
  },
  Panel: ({ line, cell, findings, onChange }) => <SaveFilePanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => [line.file, line.name, line.folder].flatMap(ofParts),
  mark: "↓",
  target: (line) => (line.connection && line.container ? { kind: "app", connection: line.connection, container: line.container } : null),
  undone: "saved files stay; delete them in their folder if you don’t want them",
} satisfies LineView<SaveFile>;
