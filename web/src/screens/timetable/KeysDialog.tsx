import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";

const KEYS = [
  ["↑ ↓", "between lines, in the grid"],
  ["← →", "between samples, in the grid"],
  ["Enter", "to the selected line’s panel"],
  ["Insert", "add a line below"],
  ["Delete", "remove the selected line"],
  ["Alt ↑, Alt ↓", "move the selected line, into or out of a branch"],
  ["Ctrl D", "duplicate the selected line, with the lines inside it"],
  ["Ctrl Z, Ctrl Shift Z", "undo and redo, in the grid"],
  ["Ctrl Enter", "try the selected sample"],
  ["Ctrl ;", "to the capture line, on every screen"],
] as const;

/** All keys in one place. */
export function KeysDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Keyboard shortcuts</DialogTitle>
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
