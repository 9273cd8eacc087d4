import type { LineView } from "../lineView";
import type { SendMail } from "../../screens/timetable/model";
import { SendMailPanel } from "./SendMailPanel";
import { inWords, ofParts } from "../refs";

export default {
  offered: { rank: 11, words: "Send an email: text, with records as a table" },
  empty: (id) => [
    { verb: "send_mail", id, within: "", connection: null, to: [], subject: [], paragraphs: [[]], rows: null, columns: [], split: "" },
  ],
  sentence: (line) => ({
    verb: "Send",
    object: line.split ? "one email each" : "an email",
    detail: inWords(line.subject) || "choose recipients and text",
  }),
  Panel: ({ line, cell, findings, onChange }) => <SendMailPanel line={line} cell={cell} findings={findings} onChange={onChange} />,
  uses: (line) => [line.to, line.subject, ...line.paragraphs].flatMap(ofParts),
  mark: "↗",
  undone: "sending can’t be undone",
} satisfies LineView<SendMail>;
