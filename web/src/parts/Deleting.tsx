import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Problem, said, type Schemas } from "../api/client";
import { useNotices } from "../frame/Notices";
import { useRestoring } from "../screens/trash/useTrash";

type Use = Schemas["UseOut"];
type Deleted = Schemas["Deleted"];

export interface Deletion {
  /** What is deleted, as its name reads in a sentence. */
  name: string;
  /** What is deleted with it, in a sentence; if there is any it is asked for first, even an empty one. */
  also?: string;
  /** Whether several are deleted. */
  many?: boolean;
  /** What uses it. Asked for only where `also` asks anyway: the server says it of its own accord otherwise. */
  uses?: () => Promise<Use[]>;
  run: (anyway: boolean) => Promise<Deleted>;
  onDone?: () => void;
}

interface Asked extends Deletion {
  used: Use[];
}

/** Deletes: asks once where more than one item goes or where something that runs uses it, and offers to undo it afterwards. */
export function useDeleting() {
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const [asked, setAsked] = useState<Asked | null>(null);
  const restore = useRestoring();
  const work = useMutation({
    mutationFn: ({ run, anyway }: Deletion & { anyway: boolean }) => run(anyway),
    onSuccess: ({ entries }, { name, onDone }) => {
      setAsked(null);
      void queries.invalidateQueries();
      tell(`${name} moved to the trash.`, { label: "Undo", run: () => restore.mutate(entries) });
      onDone?.();
    },
    onError: (error, deletion) => {
      const uses = error instanceof Problem && !deletion.anyway ? error.more.uses : undefined;
      if (Array.isArray(uses)) setAsked({ ...deletion, used: uses as Use[] });
      else fail(error);
    },
  });
  const start = (deletion: Deletion) => {
    if (deletion.also === undefined) return work.mutate({ ...deletion, anyway: false });
    const uses = deletion.uses?.() ?? Promise.resolve([]);
    void uses.then((used) => setAsked({ ...deletion, used }), fail);
  };
  const dialog = asked && (
    <Dialog open onClose={() => setAsked(null)} maxWidth="xs" fullWidth>
      <DialogTitle>Delete {asked.name}?</DialogTitle>
      <DialogContent>
        {asked.used.length > 0 && (
          <div className="note bad">
            These use it and will fail until you restore it:
            <ul className="listed">
              {asked.used.map((u) => (
                <li key={`${u.kind}${u.id}`}>
                  {u.kind === "workflow" ? "workflow " : "capture address "}
                  <b>{u.name}</b>
                </li>
              ))}
            </ul>
          </div>
        )}
        <p>
          {asked.also} You can restore {asked.many ? "them" : "it"} from the trash for 30 days.
        </p>
        {work.error && !(work.error instanceof Problem && work.error.more.uses) && <div className="note bad">{said(work.error)}</div>}
      </DialogContent>
      <DialogActions>
        <Button onClick={() => setAsked(null)}>Cancel</Button>
        <Button color="error" variant="contained" disabled={work.isPending} onClick={() => work.mutate({ ...asked, anyway: true })}>
          Delete
        </Button>
      </DialogActions>
    </Dialog>
  );
  return { start, dialog, busy: work.isPending };
}
