import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said } from "../../api/client";
import { useApps, useConnections, useSight, type Database } from "../../api/queries";
import { ConnectionSelect } from "../connections/ConnectionSelect";
import { useConsent } from "../connections/useConsent";
import { ContainerOrNew } from "./ContainerOrNew";

interface Props {
  onClose: () => void;
  onTaken: (place: Database) => void;
}

/** A place of a connected app, chosen by name or by its link: what its items have is read once, and it can be worked on from then on. */
export function PlaceDialog({ onClose, onTaken }: Props) {
  const apps = useApps().data ?? [];
  const writable = new Set(apps.filter((a) => a.writes.length > 0).map((a) => a.code));
  const connections = (useConnections().data ?? []).filter((c) => writable.has(c.app));
  const [picked, setPicked] = useState<number | null>(null);
  const connection = connections.find((c) => c.id === picked) ?? (connections.length === 1 ? connections[0] : undefined);
  const app = apps.find((a) => a.code === connection?.app);
  const [place, setPlace] = useState<{ id: string; name: string } | null>(null);
  const sight = useSight(connection?.id).data;
  const consent = useConsent();
  const queries = useQueryClient();
  const word = app?.container_word ?? "place";
  const take = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/places", { body: { connection: connection?.id ?? 0, place: place?.id ?? "" } })),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["places"] });
      onTaken(made);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Choose a place in an app</DialogTitle>
      <DialogContent>
        <div className="cond labelled">
          <label htmlFor="place-connection">Connection</label>
          <ConnectionSelect
            id="place-connection"
            connections={connections}
            chosen={connection}
            none={connections.length > 0 ? undefined : "No connection to an app that can be written to"}
            onChange={(chosen) => {
              setPicked(chosen);
              setPlace(null);
            }}
          />
          <span />
          <label htmlFor="place-of-app">{word[0]?.toUpperCase() + word.slice(1)}</label>
          <ContainerOrNew
            id="place-of-app"
            app={app}
            connection={connection}
            name={place?.name ?? ""}
            onTake={(id, name) => setPlace({ id, name })}
          />
        </div>
        <p className="quiet above-2 flush">Not connected yet?</p>
        <div className="row wrapped flush">
          {apps
            .filter((a) => writable.has(a.code))
            .map((a) => (
              <Button key={a.code} onClick={() => consent.ask(a.code)}>
                Connect {a.name}
              </Button>
            ))}
        </div>
        {connection && sight && !sight.may_send && (
          <div className="note bad">
            This connection can only read in {app?.name}.{" "}
            <button className="link" onClick={() => consent.ask(connection.app, connection.id)}>
              Change access
            </button>
          </div>
        )}
        {connection && sight?.finding === "nothing_shared" && (
          <div className="note bad">
            {sight.sentence} {sight.advice}
          </div>
        )}
        {take.error && <div className="note bad">{said(take.error)}</div>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!place || take.isPending} onClick={() => take.mutate()}>
          Choose
        </Button>
      </DialogActions>
    </Dialog>
  );
}
