import { Autocomplete, TextField } from "@mui/material";
import { useRef, useState } from "react";
import { answer, client, said } from "../../api/client";
import { useSight, type App, type Connection } from "../../api/queries";

interface Props {
  id: string;
  app: App | undefined;
  connection: Connection | undefined;
  name: string;
  onTake: (container: string, name: string) => void;
  /** What was typed and is none, where something can be done about it. */
  onUnknown?: (typed: string) => void;
}

/** A folder, or what the app calls it: chosen by name, or by pasting its link. */
export function ContainerBox({ id, app, connection, name, onTake, onUnknown }: Props) {
  const sight = useSight(connection?.id);
  const [problem, setProblem] = useState("");
  const tried = useRef("");
  const word = app?.container_word ?? "folder";

  const take = async (typed: string) => {
    if (typed === tried.current) return undefined; // leaving the box again must not shift what is about to be clicked
    tried.current = typed;
    // One may type a name before the list of them is there.
    const shared = connection && (sight.data ?? (await sight.refetch({ cancelRefetch: false })).data)?.shared;
    const byName = shared?.find((c) => c.name.toLowerCase() === typed.trim().toLowerCase());
    if (byName) setProblem("");
    if (byName) return onTake(byName.id, byName.name);
    if (!typed.trim() || !connection) return undefined;
    if (onUnknown && !typed.includes("://")) return onUnknown(typed.trim());
    try {
      const found = await answer(
        client.POST("/api/v1/connections/{connection_id}/container", {
          params: { path: { connection_id: connection.id } },
          body: { link: typed },
        }),
      );
      setProblem("");
      return onTake(found.id, found.name);
    } catch (error) {
      return setProblem(said(error));
    }
  };

  return (
    <div className="max-280">
      <Autocomplete
        id={id}
        freeSolo
        size="small"
        disabled={!connection}
        options={(sight.data?.shared ?? []).map((c) => c.name)}
        value={name}
        onChange={(_, value) => value && void take(value)}
        renderInput={(params) => (
          <TextField
            {...params}
            placeholder={`Choose a ${word}, or paste its link`}
            onBlur={(event) => event.target.value !== name && void take(event.target.value)}
          />
        )}
      />
      {problem && <div className="note bad">{problem}</div>}
    </div>
  );
}
