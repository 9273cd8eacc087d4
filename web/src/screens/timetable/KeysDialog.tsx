import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";

const KEYS = [
  ["↑ ↓", "from line to line, within the grid"],
  ["← →", "from sample to sample, within the grid"],
  ["Enter", "into the chosen line, below the grid"],
  ["Insert", "add a line below"],
  ["Delete", "remove the selected line"],
  ["Alt ↑, Alt ↓", "move the selected line, into or out of a branch"],
  ["Ctrl D", "duplicate the chosen line, with what stands within it"],
  ["Ctrl Z, Ctrl Shift Z", "undo and redo, within the grid"],
  ["Ctrl Enter", "try the chosen sample"],
  ["Ctrl ;", "to the capture line, on every screen"],
] as const;

/** All keys in one place. */
export function KeysDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Keys</DialogTitle>
      <DialogContent>
        <table>
          <tbody>
            {KEYS.map(([key, what]) => (
              <tr key={key}>
                <td className="w-150">
                  <kbd>{key}</kbd>
                </td>
                <td className="wrap">{what}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
