import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type ComponentProps } from "react";
import { answer, client, said } from "../../api/client";
import { ContainerBox } from "./ContainerBox";

type Props = Omit<ComponentProps<typeof ContainerBox>, "onUnknown">;

/** A folder, or what the app calls it; one that is not there yet can be made at once, where the app lets one. */
export function ContainerOrNew({ id, app, connection, name, onTake }: Props) {
  const [missing, setMissing] = useState("");
  const queries = useQueryClient();
  const take = (container: string, called: string) => {
    setMissing("");
    onTake(container, called);
  };
  const make = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/connections/{connection_id}/containers", {
          params: { path: { connection_id: connection?.id ?? 0 } },
          body: { name: missing },
        }),
      ),
    onSuccess: (found) => {
      void queries.invalidateQueries({ queryKey: ["connections", "sight"] });
      take(found.id, found.name);
    },
  });
  return (
    <>
      <ContainerBox id={id} app={app} connection={connection} name={name} onTake={take} onUnknown={setMissing} />
      {missing && (
        <div className="note">
          No {app?.container_word} “{missing}” is shared with this connection.{" "}
          {app?.makes_places && (
            <Button size="small" onClick={() => make.mutate()} disabled={make.isPending}>
              Create “{missing}”
            </Button>
          )}
        </div>
      )}
      {make.error && <div className="note bad">{said(make.error)}</div>}
    </>
  );
}
