import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { answer, client, said } from "../../api/client";
import { useDatabases, type Database } from "../../api/queries";
import { useDeleting } from "../../parts/Deleting";
import { counted } from "./counted";

export function DatabaseList() {
  const databases = useDatabases().data;
  const [making, setMaking] = useState(false);
  const { start, dialog } = useDeleting();
  const remove = (d: Database) => {
    const path = { params: { path: { database_id: d.id } } };
    start({
      name: d.name,
      also: d.records ? `Its ${counted(d)} ${d.records === 1 ? "record is" : "records are"} deleted too.` : undefined,
      uses: () => answer(client.GET("/api/v1/databases/{database_id}/uses", path)),
      run: (anyway) => answer(client.DELETE("/api/v1/databases/{database_id}", { params: { ...path.params, query: { anyway } } })),
    });
  };
  return (
    <main>
      <div className="row head">
        <h1 className="grow">Databases</h1>
        <Button variant="contained" onClick={() => setMaking(true)}>
          New database
        </Button>
      </div>
      {databases?.length === 0 ? (
        <div className="empty">
          <h2>No databases yet</h2>
          <p>Databases hold records such as notes, tasks and enquiries. Create one here, or from a sample while you build a workflow.</p>
          <Button variant="contained" onClick={() => setMaking(true)}>
            Create the first one
          </Button>
        </div>
      ) : (
        <table className="list">
          <colgroup>
            <col className="w-260" />
            <col className="w-112" />
            <col />
            <col className="w-84" />
          </colgroup>
          <thead>
            <tr>
              <th>Name</th>
              <th className="num">Records</th>
              <th>Fields</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {databases?.map((d) => (
              <tr key={d.id}>
                <td>
                  <Link to={`/databases/${d.id}`}>{d.name}</Link>
                </td>
                <td className="num">{counted(d)}</td>
                <td>{d.fields.map((f) => f.name).join(", ")}</td>
                <td>
                  <button className="link" onClick={() => remove(d)} aria-label={`Delete ${d.name}`}>
                    Delete
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {making && <NewDatabase onClose={() => setMaking(false)} />}
      {dialog}
    </main>
  );
}

function NewDatabase({ onClose }: { onClose: () => void }) {
  const [name, setName] = useState("");
  const navigate = useNavigate();
  const make = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/databases", { body: { name, fields: [] } })),
    onSuccess: (made) => void navigate(`/databases/${made.id}`),
  });
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <DialogTitle>New database</DialogTitle>
        <DialogContent>
          <TextField label="Name" autoFocus value={name} onChange={(e) => setName(e.target.value)} className="above-2" />
          <p className="quiet above-2">Starts with Name and Text fields. Add more on the next screen.</p>
          {make.error && <div className="note bad">{said(make.error)}</div>}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!name.trim() || make.isPending}>
            Create
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
