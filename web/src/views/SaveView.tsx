import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useState } from "react";
import { said } from "../api/client";
import { useNotices } from "../frame/Notices";
import { useKeeping } from "./queries";
import type { Viewing } from "./useView";

interface Props {
  database: number;
  viewing: Viewing;
  naming: "new" | "rename" | null;
  onNaming: (of: "new" | "rename" | null) => void;
}

/** Saving what was edited in a view, under its name or a new one. */
export function SaveView({ database, viewing, naming, onNaming }: Props) {
  const { kept, view, isEdited, discard, choose } = viewing;
  const { create, save } = useKeeping(database);
  const { tell, fail } = useNotices();
  const keep = () =>
    kept &&
    save.mutate(
      { kept, name: kept.name, view },
      {
        onSuccess: () => {
          discard();
          tell("View saved.");
        },
        onError: fail,
      },
    );
  return (
    <>
      {isEdited && (
        <span className="row close">
          {kept && (
            <button className="link" onClick={keep}>
              Save view
            </button>
          )}
          <button className="link" onClick={() => onNaming("new")}>
            Save as new view
          </button>
          <button className="link" onClick={discard}>
            Discard changes
          </button>
        </span>
      )}
      {naming && (
        <Naming
          title={naming === "new" ? "Save as new view" : "Rename view"}
          button={naming === "new" ? "Save" : "Rename"}
          name={naming === "rename" ? (kept?.name ?? "") : ""}
          problem={(naming === "new" ? create : save).error}
          onClose={() => {
            create.reset();
            save.reset();
            onNaming(null);
          }}
          onName={(name) => {
            const onSuccess = (made: { id: number }) => {
              onNaming(null);
              choose(made.id);
            };
            if (naming === "new") create.mutate({ name, view }, { onSuccess });
            else if (kept) save.mutate({ kept, name, view: kept.view }, { onSuccess: () => onNaming(null) });
          }}
        />
      )}
    </>
  );
}

interface NamingProps {
  title: string;
  button: string;
  name: string;
  problem: unknown;
  onClose: () => void;
  onName: (name: string) => void;
}

function Naming({ title, button, name, problem, onClose, onName }: NamingProps) {
  const [text, setText] = useState(name);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          onName(text);
        }}
      >
        <DialogTitle>{title}</DialogTitle>
        <DialogContent>
          <TextField autoFocus label="Name" value={text} error={problem != null} onChange={(event) => setText(event.target.value)} />
          {problem != null && (
            <p className="bad" role="alert">
              {said(problem)}
            </p>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained">
            {button}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
