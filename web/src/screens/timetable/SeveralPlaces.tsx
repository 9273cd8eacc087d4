import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useState } from "react";
import { useSight, type App, type Connection } from "../../api/queries";
import { ALL, BETWEEN } from "./manyPlaces";

interface Props {
  app: App;
  connection: Connection;
  chosen: string;
  onTake: (container: string, name: string) => void;
  onClose: () => void;
}

/** Several places as one source, or all of them with those to come. */
export function SeveralPlaces({ app, connection, chosen, onTake, onClose }: Props) {
  const shared = useSight(connection.id).data?.shared ?? [];
  const [all, setAll] = useState(chosen === ALL);
  const [picked, setPicked] = useState<string[]>(chosen && chosen !== ALL ? chosen.split(BETWEEN) : []);
  const there = shared.filter((c) => picked.includes(c.id));
  const take = () => {
    if (all) onTake(ALL, `All ${app.containers_word}`);
    else onTake(there.map((c) => c.id).join(BETWEEN), there.map((c) => c.full_name).join(", "));
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>
        Several {app.containers_word} of {app.name}
      </DialogTitle>
      <DialogContent className="stacked">
        <p className="quiet">
          The workflow starts with the {app.items_word} of each. Each names its {app.container_word}, and counts once even if it moves
          between them.
        </p>
        <label>
          <input type="checkbox" checked={all} onChange={(event) => setAll(event.target.checked)} /> all that are shared, including those
          shared later
        </label>
        {!all &&
          shared.map((c) => (
            <label key={c.id}>
              <input
                type="checkbox"
                checked={picked.includes(c.id)}
                onChange={(event) => setPicked(event.target.checked ? [...picked, c.id] : picked.filter((id) => id !== c.id))}
              />{" "}
              {c.full_name}{" "}
              <span className="quiet">
                {c.items} {app.items_word}
              </span>
            </label>
          ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!all && there.length === 0} onClick={take}>
          Choose
        </Button>
      </DialogActions>
    </Dialog>
  );
}
