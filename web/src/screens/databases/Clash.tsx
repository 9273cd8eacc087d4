import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import type { Database } from "../../api/queries";
import { reads } from "../../fields";
import type { Clashing } from "./useWriting";

interface Props {
  clash: Clashing;
  database: Database;
  zone: string;
  onMine: () => void;
  onTheirs: () => void;
}

/** A field that was changed elsewhere while it was edited here: both values, and the choice between them. */
export function Clash({ clash, database, zone, onMine, onTheirs }: Props) {
  const fields = database.fields.filter((f) => f.id in clash.mine);
  return (
    <Dialog open onClose={onTheirs} maxWidth="sm" fullWidth>
      <DialogTitle>{fields.map((f) => f.name).join(", ")} was edited elsewhere</DialogTitle>
      <DialogContent>
        <p>Someone, or a workflow, changed the value after you started editing. Choose which value to keep.</p>
        {fields.map((f) => (
          <dl className="particulars" key={f.id}>
            <div>
              <dt>Current</dt>
              <dd className="verbatim">{reads(f, clash.theirs[f.id], zone) || "empty"}</dd>
            </div>
            <div>
              <dt>Yours</dt>
              <dd className="verbatim">{reads(f, clash.mine[f.id], zone) || "empty"}</dd>
            </div>
          </dl>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={onTheirs}>Keep current</Button>
        <Button variant="contained" onClick={onMine}>
          Overwrite
        </Button>
      </DialogActions>
    </Dialog>
  );
}
