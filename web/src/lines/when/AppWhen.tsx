import { Button, MenuItem, Select } from "@mui/material";
import { Link } from "react-router";
import { useApps, useConnections, useSight, type WorkflowDetail } from "../../api/queries";
import { useConsent } from "../../screens/connections/useConsent";
import { ContainerBox } from "../../screens/timetable/ContainerBox";
import type { When } from "../../screens/timetable/model";

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
  const folder = app?.container_word ?? "folder";
  const shared = sight.data?.shared ?? [];

  return (
    <>
      <div className="cond labelled">
        <label htmlFor="connection">Connection</label>
        <Select
          id="connection"
          value={chosen ? String(chosen.id) : ""}
          displayEmpty

          SelectDisplayProps={{ "aria-label": "Connection" }}
          onChange={(event) => onChange({ ...line, connection: Number(event.target.value), container: null, container_name: "" })}
        >
          <MenuItem value="" disabled>
            Choose a connection
          </MenuItem>
          {connections.map((c) => (
            <MenuItem key={c.id} value={String(c.id)}>
              {c.name}
            </MenuItem>
          ))}
        </Select>
        <Button className="at-start" onClick={() => consent.ask(line.app)}>
          Connect {app?.name ?? "an app"}
        </Button>
        <label htmlFor="container">{folder[0]?.toUpperCase() + folder.slice(1)}</label>
        <ContainerBox
          id="container"
          app={app}
          connection={chosen}
          name={line.container_name ?? ""}
          onTake={(container, name) => onChange({ ...line, container, container_name: name })}
        />
        {line.container && (
          <span className="quiet">
            {shared.find((c) => c.id === line.container)?.items ?? 0} {app?.items_word}
          </span>
        )}
      </div>
      {chosen && sight.data && sight.data.finding !== "good" && (
        <div className={sight.data.finding === "all_empty" ? "note" : "note bad"}>
          {sight.data.sentence} {sight.data.advice} <Link to={`/connections/${chosen.id}`}>Open the connection</Link>
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
      {workflow.subscription && (
        <p className="above-2">
          {workflow.subscription.pushed
            ? `${app?.name} tells Kelvix of each ${app?.item_word} as it arrives. To be sure, the ${folder} is also read every minute.`
            : `${app?.name} does not tell Kelvix by itself; the ${folder} is read every 20 seconds.`}
        </p>
      )}
    </>
  );
}
