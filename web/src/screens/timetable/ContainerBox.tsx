import { Autocomplete, TextField } from "@mui/material";
import { useRef, useState } from "react";
import { answer, client, said } from "../../api/client";
import { PlaceSteps } from "./PlaceSteps";
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
  const [written, setWritten] = useState(name);
  const [level, setLevel] = useState<string[] | null>(null); // at which one chooses step by step
  const tried = useRef("");
  const places = sight.data?.shared ?? [];
  const word = app?.container_word ?? "folder";

  const taken = (place: string, called: string) => {
    setLevel(null);
    setWritten(called); // also where it is the place that was chosen already
    onTake(place, called);
  };
  const take = async (typed: string) => {
    if (typed === tried.current) return undefined; // leaving the box again must not shift what is about to be clicked
    tried.current = typed;
    // One may type a name before the list of them is there.
    const shared = connection && (sight.data ?? (await sight.refetch({ cancelRefetch: false })).data)?.shared;
    const wanted = typed.trim().toLowerCase();
    const byName = shared?.find((c) => c.full_name.toLowerCase() === wanted) ?? shared?.find((c) => c.name.toLowerCase() === wanted);
    if (byName) setProblem("");
    if (byName) return taken(byName.id, byName.full_name);
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
      if (found.container) return taken(found.container.id, found.container.full_name);
      return setLevel(found.within);
    } catch (error) {
      return setProblem(said(error));
    }
  };

  return (
    <div>
      <div className="row flush wraps">
        <div className="max-280 grow">
          <Autocomplete
            id={id}
            freeSolo
            size="small"
            disabled={!connection}
            options={places.map((c) => c.full_name)}
            value={name}
            inputValue={written}
            onInputChange={(_, value) => setWritten(value)}
            onChange={(_, value) => value && void take(value)}
            renderInput={(params) => (
              <TextField
                {...params}
                placeholder={`Choose a ${word}, or paste its link`}
                onBlur={(event) => event.target.value !== name && void take(event.target.value)}
              />
            )}
          />
        </div>
        {connection && places.some((p) => p.path.length > 0) && (
          <button type="button" className="link" aria-expanded={level !== null} onClick={() => setLevel(level ? null : [])}>
            {level ? "Close" : "Step by step"}
          </button>
        )}
      </div>
      {level && (
        <PlaceSteps
          places={places}
          level={level}
          words={[word, app?.containers_word ?? "folders"]}
          onLevel={setLevel}
          onTake={(place) => taken(place.id, place.full_name)}
        />
      )}
      {problem && <div className="note bad">{problem}</div>}
    </div>
  );
}
