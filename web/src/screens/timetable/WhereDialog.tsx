import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answer, client, said } from "../../api/client";
import { dateTime } from "../../parts/dates";

interface Props {
  workflow: number;
  zone: string;
  onClose: () => void;
}

/** Where is my item? Pick one, or paste its link, and read what became of it. */
export function WhereDialog({ workflow, zone, onClose }: Props) {
  const [link, setLink] = useState("");
  const items = useQuery({
    queryKey: ["items", workflow],
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/items", { params: { path: { workflow_id: workflow } } })),
    retry: false,
  });
  const where = useMutation({
    mutationFn: (item: string) =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/where", { params: { path: { workflow_id: workflow } }, body: { item } })),
  });
  const check = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/check-now", { params: { path: { workflow_id: workflow } } })),
  });
  const found = where.data;
  const looks: Record<string, string> = { came_through: "note good", failed: "note bad" };
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Where is my item?</DialogTitle>
      <DialogContent>
        <form
          className="row"
          onSubmit={(event) => {
            event.preventDefault();
            if (link.trim()) where.mutate(link);
          }}
        >
          <TextField
            autoFocus
            placeholder="Paste the item’s link"
            value={link}
            onChange={(e) => setLink(e.target.value)}
            slotProps={{ htmlInput: { "aria-label": "Item link" } }}
          />
          <Button type="submit" variant="contained">
            Find item
          </Button>
        </form>
        {where.error && <div className="note bad">{said(where.error)}</div>}
        {found && (
          <div className={looks[found.fate] ?? "note"} role="status">
            {found.title && <b>{found.title}. </b>}
            {found.sentence} {found.advice} {found.link && <Link to={new URL(found.link).pathname}>Open record</Link>}{" "}
            {found.run && <Link to={`/runs/${found.run}`}>Open run</Link>}
            {found.fate === "next_check" && (
              <button className="link" onClick={() => check.mutate()}>
                {check.isSuccess ? "asked" : "Check now"}
              </button>
            )}
          </div>
        )}
        <p className="flush above-3 below-1">Or choose one of the newest:</p>
        {items.error && <div className="note bad">{said(items.error)}</div>}
        <div className="scroll tall">
          <table className="list">
            <tbody>
              {items.data?.map((item) => (
                <tr key={item.id}>
                  <td>
                    <button className="link" onClick={() => where.mutate(item.id)}>
                      {item.title}
                    </button>
                  </td>
                  <td className="w-150">{dateTime(item.at, zone)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
