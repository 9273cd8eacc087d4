import { Menu, MenuItem } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { answer, client } from "../api/client";
import { useDatabases } from "../api/queries";
import { useNotices } from "./Notices";

const KEY = "kelvix-capture-to";

/** One line, always one key away: what is typed becomes a record of the chosen database. */
export function CaptureLine() {
  const databases = useDatabases().data ?? [];
  const [chosen, setChosen] = useState(Number(localStorage.getItem(KEY)) || 0);
  const [text, setText] = useState("");
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const { tell, fail } = useNotices();
  const navigate = useNavigate();
  const to = databases.find((d) => d.id === chosen) ?? databases[0];

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey && event.key === ";") {
        event.preventDefault();
        input.current?.focus();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  const save = useMutation({
    mutationFn: (captured: { database: number; text: string; key: string }) =>
      answer(
        client.POST("/api/v1/capture", {
          body: { database: captured.database, text: captured.text },
          params: { header: { "idempotency-key": captured.key } },
        }),
      ),
    onSuccess: (made, captured) => {
      setText("");
      tell(`Added to ${to?.name ?? "the database"}.`, {
        label: "Open",
        run: () => void navigate(`/databases/${captured.database}/${made.record.id}`),
      });
    },
    onError: fail,
  });

  return (
    <form
      className="capture"
      onSubmit={(event) => {
        event.preventDefault();
        if (to && text.trim() && !save.isPending) save.mutate({ database: to.id, text, key: crypto.randomUUID() });
      }}
    >
      <kbd>Ctrl ;</kbd>
      <span>
        Capture to{" "}
        <button type="button" className="link" aria-haspopup="menu" onClick={(event) => setMenu(event.currentTarget)}>
          {to?.name ?? "a database"} ▾
        </button>
      </span>
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        {databases.map((d) => (
          <MenuItem
            key={d.id}
            selected={d.id === to?.id}
            onClick={() => {
              localStorage.setItem(KEY, String(d.id));
              setChosen(d.id);
              setMenu(null);
              input.current?.focus();
            }}
          >
            {d.name}
          </MenuItem>
        ))}
        {databases.length === 0 && <MenuItem onClick={() => void navigate("/databases")}>Make a database first</MenuItem>}
      </Menu>
      <input
        ref={input}
        aria-label={`Capture to ${to?.name ?? "a database"}`}
        value={text}
        disabled={!to}
        placeholder="Type a line; Enter adds it as a record"
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && input.current?.blur()}
      />
      {text && <kbd>Enter</kbd>}
    </form>
  );
}
