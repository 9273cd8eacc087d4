import { whenOf, type Adds } from "../../screens/timetable/model";
import type { PanelProps } from "../lineView";
import { AddPanel } from "./AddPanel";

/** The panel of a line that adds, whether it looks first whether the record is there or not. */
export function AddingPanel({ line, document, databases, cell, findings, sample, onChange }: PanelProps<Adds>) {
  const { id, app, container_name: place = "" } = whenOf(document);
  return (
    <AddPanel
      line={line}
      when={id}
      app={app}
      place={place}
      databases={databases}
      cell={cell}
      findings={findings}
      sample={sample}
      onChange={onChange}
    />
  );
}
