import { Button } from "@mui/material";
import { useState } from "react";
import { Link } from "react-router";
import { useApps, useConnections, usePlaces, useSight, type WorkflowDetail } from "../../api/queries";
import { ConnectionSelect } from "../../screens/connections/ConnectionSelect";
import { useConsent } from "../../screens/connections/useConsent";
import { ContainerBox } from "../../screens/timetable/ContainerBox";
import { isAmong, isSeveral } from "../../screens/timetable/manyPlaces";
import { SeveralPlaces } from "../../screens/timetable/SeveralPlaces";
import { SheetDialog } from "../../screens/timetable/SheetDialog";
import type { When } from "../../screens/timetable/model";
import { Often } from "./Often";
import { Waited, Watched } from "./Watched";
import { NO_WATCH, watchedFields } from "./watching";

interface Props {
  line: When;
  workflow: WorkflowDetail;
  onChange: (line: When) => void;
}

/** An event in an app: through which connection, in which folder. A pasted link will do. */
export function AppWhen({ line, workflow, onChange }: Props) {
  const app = useApps().data?.find((a) => a.code === line.app);
  const connections = (useConnections().data ?? []).filter((c) => c.app === line.app);
  const chosen = connections.find((c) => c.id === line.connection);
  const sight = useSight(chosen?.id);
  const consent = useConsent();
  const [laying, setLaying] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const places = usePlaces().data ?? [];
  const sheet = places.find((p) => p.outside?.is_sheet && p.outside.connection === line.connection && p.outside.place === line.container);
  const folder = app?.container_word ?? "folder";
  const fields = watchedFields(line, app, places);
  const watch = (next: Partial<When["watch"]>) => onChange({ ...line, watch: { ...line.watch, ...next } });
  const shared = sight.data?.shared ?? [];
  const edits = app?.events.some((e) => e.code === "changed"); // else nothing that it has is still being written
  const several = isSeveral(line.container);
  const take = (container: string, name: string) =>
    onChange({ ...line, container, container_name: name, every: Math.max(line.every, sight.data?.every ?? 0) });
  const counted = (container: string) => shared.filter((c) => isAmong(c.id, container)).reduce((sum, c) => sum + c.items, 0);

  return (
    <>
      <div className="cond labelled">
        <label htmlFor="connection">Connection</label>
        <ConnectionSelect
          id="connection"
          connections={connections}
          chosen={chosen}
          onChange={(connection) => onChange({ ...line, connection, container: null, container_name: "", watch: NO_WATCH })}
        />
        <Button className="at-start" onClick={() => consent.ask(line.app)}>
          Connect {app?.name ?? "an app"}
        </Button>
        <label htmlFor="container">{folder[0]?.toUpperCase() + folder.slice(1)}</label>
        <ContainerBox id="container" app={app} connection={chosen} name={line.container_name ?? ""} onTake={take} />
        {chosen && (
          <span className="quiet">
            {line.container && `${counted(line.container)} ${app?.items_word}`}
            {app?.several && (
              <>
                {line.container && " · "}
                <button type="button" className="link" onClick={() => setChoosing(true)}>
                  Several {app.containers_word}
                </button>
              </>
            )}
            {sheet && (
              <>
                {" · "}
                <button type="button" className="link" onClick={() => setLaying(true)}>
                  Header and rows
                </button>
              </>
            )}
          </span>
        )}
      </div>
      {choosing && app && chosen && (
        <SeveralPlaces app={app} connection={chosen} chosen={line.container ?? ""} onTake={take} onClose={() => setChoosing(false)} />
      )}
      {sheet && laying && <SheetDialog place={sheet} onClose={() => setLaying(false)} />}
      {chosen && sight.data && sight.data.finding !== "good" && (
        <div className={sight.data.finding === "all_empty" ? "note" : "note bad"}>
          {sight.data.sentence} {sight.data.advice} <Link to={`/connections/${chosen.id}`}>Open connection</Link>
        </div>
      )}
      {chosen && sight.data && sight.data.not_shared.length > 0 && (
        <p className="quiet">
          Not shared: {sight.data.not_shared.join(", ")}.{" "}
          <button className="link" onClick={() => consent.ask(line.app, chosen.id)}>
            Change access
          </button>
        </p>
      )}
      {line.container && (
        <>
          <Watched event={line.event} watch={line.watch} fields={fields} onChange={watch} />
          {edits && line.event !== "left" && line.event !== "removed" && (
            <Waited watch={line.watch} fields={fields} words={app?.items_word ?? "items"} onChange={watch} />
          )}
        </>
      )}
      {line.container && <Often line={line} workflow={workflow} onChange={onChange} />}
      {workflow.subscription && (
        <p className="above-2">
          {workflow.subscription.pushed
            ? `${app?.name} notifies Kelvix of each ${app?.item_word} as it arrives. The ${folder} is checked as well.`
            : several
              ? `These ${app?.containers_word} are checked regularly.`
              : `${app?.name} doesn’t notify Kelvix, so the ${folder} is checked regularly.`}
        </p>
      )}
    </>
  );
}
