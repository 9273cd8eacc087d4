import type { LineView } from "../lineView";
import type { WebRequest } from "../../screens/timetable/model";
import { WebRequestPanel } from "./WebRequestPanel";
import { inWords, ofParts } from "../refs";

export default {
  offered: { rank: 13, words: "Send a web request: send values to a web address" },
  empty: (id) => [
    {
      verb: "web_request",
      id,
      within: "",
      method: "POST",
      address: [],
      headers: [],
      body: [],
      success: "2xx",
      recognises: false,
      takes: [],
    },
  ],
  sentence: (line) => ({
    verb: "Send",
    object: "a web request",
    detail: inWords(line.address).replace(/^https?:\/\//, "") || "enter an address",
  }),
  Panel: ({ line, cell, findings, onChange }) => <WebRequestPanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => [line.address, ...line.headers.map((h) => h.filling), ...line.body.map((g) => g.filling)].flatMap(ofParts),
  mark: "⇗",
  undone: "sending can’t be undone",
} satisfies LineView<WebRequest>;
