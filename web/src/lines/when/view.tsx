import type { LineView } from "../lineView";
import type { When } from "../../screens/timetable/model";
import { eventOf } from "../../screens/timetable/lineWords";
import { ownWords } from "./ownWords";
import { watchedFields, watchWords } from "./watching";
import { WhenPanel } from "./WhenPanel";

export default {
  fixed: true,
  holds: "that started the run",
  sentence: (line, { app, databases }) => {
    if (line.own) return { verb: "When", ...ownWords(line.own, databases) };
    const place = line.container_name ? `${app?.name ?? ""} › ${line.container_name}` : `choose the ${app?.container_word ?? "folder"}`;
    const { reached, detail } = watchWords(line, watchedFields(line, app, databases));
    const object = reached || (eventOf(app, line.event)?.words ?? "something happens");
    return { verb: "When", object, detail: [place, detail].filter(Boolean).join("; ") };
  },
  Panel: ({ line, workflow, findings, onChange }) => <WhenPanel line={line} workflow={workflow} findings={findings} onChange={onChange} />,
} satisfies LineView<When>;
