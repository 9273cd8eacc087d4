import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, client, said } from "../../api/client";
import { useTargets } from "../../api/queries";
import { DatabaseSelect } from "../timetable/DatabaseSelect";
import { SIDES, type Side } from "./queries";

const WORDS: Record<Side, string> = { left: "Left", right: "Right" };

/** Both sides of a new mirror. Nothing is written by creating it. */
export function NewMirror({ onClose }: { onClose: () => void }) {
  const targets = useTargets();
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<Record<Side, number | null>>({ left: null, right: null });
  const make = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/mirrors", { body: { left: chosen.left ?? 0, right: chosen.right ?? 0 } })),
    onSuccess: (made) => void navigate(`/mirrors/${made.id}/rules`),
  });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>New mirror</DialogTitle>
      <DialogContent>
        <p className="quiet below-2">
          Choose the two lists that are kept the same. On the next screen, see how their fields are matched. Nothing is written before you
          have seen a plan.
        </p>
        {SIDES.map((side) => (
          <div key={side} className="cond labelled whole">
            <DatabaseSelect
              words={WORDS[side]}
              label={`${WORDS[side]} side`}
              value={chosen[side]}
              databases={targets}
              onChange={(database) => setChosen({ ...chosen, [side]: database.id })}
            />
          </div>
        ))}
        {make.error && <div className="note bad">{said(make.error)}</div>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          disabled={!chosen.left || !chosen.right || chosen.left === chosen.right || make.isPending}
          onClick={() => make.mutate()}
        >
          Create
        </Button>
      </DialogActions>
    </Dialog>
  );
}
