import { Button, MenuItem, TextField } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { useDatabases } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { copyText } from "../../parts/copy";
import { relative } from "../../parts/dates";
import { BringLinks } from "./BringLinks";

const ADDRESSES = ["capture", "addresses"];

/** A bookmark that hands the page one reads to quick input: its title, its address, and what is selected in it. */
const bookmark = (address: string) =>
  `javascript:(()=>{const q=encodeURIComponent,s=String(getSelection()).slice(0,4000);open('${address}/quick/?title='+q(document.title)+'&url='+q(location.href)+'&selection='+q(s),'_blank','width=460,height=560')})()`;

/** The ways in which lines come in: addresses, a bookmark button, and a page for the phone. */
export function Captures() {
  const databases = useDatabases().data ?? [];
  const addresses = useQuery({ queryKey: ADDRESSES, queryFn: () => answer(client.GET("/api/v1/capture/addresses")) }).data;
  const [name, setName] = useState("");
  const [database, setDatabase] = useState(0);
  const [sure, setSure] = useState(0); // the address that is about to be taken away
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const make = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/capture/addresses", { body: { name, database: database || null } })),
    onSuccess: (now) => {
      queries.setQueryData(ADDRESSES, now);
      setName("");
    },
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (id: number) => answer(client.DELETE("/api/v1/capture/addresses/{address_id}", { params: { path: { address_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ADDRESSES }),
    onError: fail,
  });
  const copy = (text: string) => void copyText(text).then(() => tell("Copied."), fail);
  return (
    <main>
      <div className="head">
        <h1>Captures</h1>
      </div>
      <h2 className="above-3">Capture addresses</h2>
      <p className="quiet">
        For phone shortcuts and scripts. Text posted to an address becomes a record, and the answer shows the recognised fields. Attached
        files go into the database’s file field. Anyone with the address can add records, but can’t read or change anything.
      </p>
      {addresses && addresses.length > 0 && (
        <table className="list above-2">
          <thead>
            <tr>
              <th className="w-168">Name</th>
              <th className="w-168">Saves to</th>
              <th>Address</th>
              <th className="w-200">Received</th>
              <th className="w-84" aria-label="Remove" />
            </tr>
          </thead>
          <tbody>
            {addresses.map((a) => (
              <tr key={a.id}>
                <td>{a.name}</td>
                <td>{a.database ? (databases.find((d) => d.id === a.database)?.name ?? "a deleted database") : "Best match"}</td>
                <td className="clip">
                  <button className="link" onClick={() => copy(a.address)}>
                    Copy address
                  </button>{" "}
                  ·{" "}
                  {a.mail && (
                    <>
                      <button className="link" onClick={() => copy(a.mail ?? "")}>
                        Copy email address
                      </button>{" "}
                      ·{" "}
                    </>
                  )}
                  <button className="link" onClick={() => copy(a.example)}>
                    Copy terminal example
                  </button>
                </td>
                <td>{a.last_at ? `${a.taken}, last ${relative(a.last_at)}` : "nothing yet"}</td>
                <td>
                  {sure === a.id ? (
                    <button
                      className="link"
                      autoFocus
                      onClick={() => remove.mutate(a.id)}
                      onBlur={() => setSure(0)}
                      aria-label={`Remove ${a.name} permanently`}
                      title="Requests to it will be refused. This can’t be undone."
                    >
                      Remove permanently
                    </button>
                  ) : (
                    <button className="link" onClick={() => setSure(a.id)} aria-label={`Remove ${a.name}`}>
                      Remove
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <form
        className="row at-foot above-4 below-5"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) make.mutate();
        }}
      >
        <TextField size="small" label="Name, for example My phone" value={name} onChange={(event) => setName(event.target.value)} />
        <TextField
          select
          size="small"
          label="Saves to"
          value={String(database)}
          onChange={(event) => setDatabase(Number(event.target.value))}
        >
          <MenuItem value="0">Best match</MenuItem>
          {databases.map((d) => (
            <MenuItem key={d.id} value={String(d.id)}>
              {d.name}
            </MenuItem>
          ))}
        </TextField>
        <Button type="submit" variant="contained" disabled={!name.trim() || make.isPending}>
          Create address
        </Button>
      </form>
      <h2>Bookmark button</h2>
      <p>
        Drag this link to your bookmarks bar:{" "}
        <a
          ref={(link) => link?.setAttribute("href", bookmark(location.origin))}
          className="bookmark"
          onClick={(event) => event.preventDefault()}
        >
          Save this page
        </a>
      </p>
      <p className="quiet">On any web page, it opens quick input with the page’s title, address and selected text.</p>
      <BringLinks />
      <h2 className="above-5">On your phone</h2>
      <p>
        Open <a href="/quick/">{location.origin}/quick/</a> on the phone and add it to the home screen. Without a network, entries wait on
        the phone and are sent once, later.
      </p>
      {["127.0.0.1", "localhost", "[::1]"].includes(location.hostname) && (
        <p className="quiet">
          This address works on this computer only. Ask the person who runs Kelvix for an address your phone can reach. With https, the page
          also opens offline.
        </p>
      )}
    </main>
  );
}
