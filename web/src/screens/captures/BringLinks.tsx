import { MenuItem, TextField } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, client } from "../../api/client";
import { useDatabases, useTypeOf } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { ChooseFile } from "../../parts/ChooseFile";

/** The links of a feed, an OPML or a bookmark file, brought into a database, each once. */
export function BringLinks() {
  const typeOf = useTypeOf();
  const databases = (useDatabases().data ?? []).filter((d) => d.fields.some((f) => typeOf(f.type)?.is_address));
  const [chosen, setChosen] = useState(0);
  const navigate = useNavigate();
  const { tell, fail } = useNotices();
  const into = databases.find((d) => d.id === chosen);
  const bring = useMutation({
    mutationFn: ({ file, database }: { file: File; database: number }) =>
      answer(
        client.POST("/api/v1/capture/links", {
          params: { query: { database } },
          body: file.name, // named in the contract as bytes; what is sent is the file itself
          bodySerializer: () => file,
          headers: { "content-type": "application/octet-stream" },
        }),
      ),
    onSuccess: (made, { database }) => {
      const there = made.there ? `; ${made.there} already existed` : "";
      tell(`${made.added} added to ${into?.name ?? "the database"}${there}.`, {
        label: "Open",
        run: () => void navigate(`/databases/${database}`),
      });
    },
    onError: fail,
  });
  return (
    <>
      <h2 className="above-5">Import links</h2>
      <p className="quiet">
        Choose a feed (RSS, Atom, JSON Feed), an OPML or a bookmark file. Each link becomes a record, with tags, author and date if the
        database has fields for them. Each address is saved once.
      </p>
      {databases.length > 0 ? (
        <div className="row above-2 below-1">
          <TextField
            select
            size="small"
            label="Import links into"
            className="w-240"
            value={into ? String(into.id) : ""}
            onChange={(event) => setChosen(Number(event.target.value))}
          >
            {databases.map((d) => (
              <MenuItem key={d.id} value={String(d.id)}>
                {d.name}
              </MenuItem>
            ))}
          </TextField>
          {bring.isPending ? (
            <span className="quiet">Importing {bring.variables.file.name} …</span>
          ) : (
            <ChooseFile
              words={into ? `Choose file to import into ${into.name}` : "Choose a database first"}
              label="File with links"
              accept=".xml,.rss,.atom,.json,.opml,.html,.htm"
              disabled={!into}
              onFile={(file) => into && bring.mutate({ file, database: into.id })}
            />
          )}
        </div>
      ) : (
        <p>No database has a link field yet. Add one to the database for your links.</p>
      )}
    </>
  );
}
