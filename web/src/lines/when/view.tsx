import type { LineView } from "../lineView";
import type { When } from "../../screens/timetable/model";
import { eventOf } from "../../screens/timetable/lineWords";
import { ownWords } from "./ownWords";
import { WhenPanel } from "./WhenPanel";

export default {
  fixed: true,
  sentence: (line, { app, databases }) => {
    if (line.own) return { verb: "When", ...ownWords(line.own, databases) };
    const place = line.container_name ? `${app?.name ?? ""} › ${line.container_name}` : `choose the ${app?.container_word ?? "folder"}`;
    return { verb: "When", object: eventOf(app, line.event)?.words ?? "something happens", detail: place };
  },
  Panel: ({ line, workflow, findings, onChange }) => <WhenPanel line={line} workflow={workflow} findings={findings} onChange={onChange} />,
} satisfies LineView<When>;
