import { Autocomplete, Button, MenuItem, Select, TextField } from "@mui/material";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { answer, client, said } from "../../api/client";
import { useApps, useConnections, useSight, type WorkflowDetail } from "../../api/queries";
import { useConsent } from "../connections/useConsent";
import type { When } from "./model";

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
  const [problem, setProblem] = useState("");
  const tried = useRef("");
  const consent = useConsent();
  const folder = app?.container_word ?? "folder";
  const shared = sight.data?.shared ?? [];

  const take = async (typed: string) => {
    if (typed === tried.current) return undefined; // leaving the box again must not shift what is about to be clicked
    tried.current = typed;
    const byName = shared.find((c) => c.name.toLowerCase() === typed.trim().toLowerCase());
    if (byName) setProblem("");
    if (byName) return onChange({ ...line, container: byName.id, container_name: byName.name });
    if (!typed.trim() || !chosen) return undefined;
    try {
      const found = await answer(
        client.POST("/api/v1/connections/{connection_id}/container", {
          params: { path: { connection_id: chosen.id } },
          body: { link: typed },
        }),
      );
      setProblem("");
      return onChange({ ...line, container: found.id, container_name: found.name });
    } catch (error) {
      return setProblem(said(error));
    }
  };

  return (
    <>
      <div className="cond" style={{ gridTemplateColumns: "110px minmax(0, 320px) auto", borderBottom: 0 }}>
        <label htmlFor="connection">Connection</label>
        <Select
          id="connection"
          value={chosen ? String(chosen.id) : ""}
          displayEmpty
          sx={{ height: 28 }}
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
        <Button sx={{ justifySelf: "start" }} onClick={() => consent.ask(line.app)}>Connect {app?.name ?? "an app"}</Button>
        <label htmlFor="container">{folder[0]?.toUpperCase() + folder.slice(1)}</label>
        <Autocomplete
          id="container"
          freeSolo
          size="small"
          disabled={!chosen}
          options={shared.map((c) => c.name)}
          value={line.container_name ?? ""}
          onChange={(_, value) => value && void take(value)}
          renderInput={(params) => (
            <TextField
              {...params}
              placeholder={`Choose a ${folder}, or paste its link`}
              onBlur={(event) => event.target.value !== (line.container_name ?? "") && void take(event.target.value)}
            />
          )}
        />
        {line.container && <span className="quiet">{shared.find((c) => c.id === line.container)?.items ?? 0} {app?.items_word}</span>}
      </div>
      {problem && <div className="note bad">{problem}</div>}
      {chosen && sight.data && sight.data.finding !== "good" && (
        <div className={sight.data.finding === "all_empty" ? "note" : "note bad"}>
          {sight.data.sentence} {sight.data.advice} <Link to={`/connections/${chosen.id}`}>Open the connection</Link>
        </div>
      )}
      {chosen && sight.data && sight.data.not_shared.length > 0 && (
        <p className="quiet">
          Not shared: {sight.data.not_shared.join(", ")}. <button className="link" onClick={() => consent.ask(line.app, chosen.id)}>Widen the connection</button>
        </p>
      )}
      {workflow.watch && (
        <p style={{ marginTop: 10 }}>
          {workflow.watch.pushed
            ? `${app?.name} tells Kelvix of each ${app?.item_word} as it arrives. To be sure, the ${folder} is also read every minute.`
            : `${app?.name} does not tell Kelvix by itself; the ${folder} is read every 20 seconds.`}
        </p>
      )}
    </>
  );
}
