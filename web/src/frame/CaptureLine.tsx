import { Menu, MenuItem } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import { answer, client } from "../api/client";
import { newKey } from "../api/key";
import { useDatabases } from "../api/queries";
import { useNotices } from "./Notices";
import { Understood } from "./Understood";
import { useUnderstanding } from "./useUnderstanding";

const KEY = "kelvix-capture-to";

/** Lines, always one key away: what is typed becomes records. What it is understood as is shown before it is kept. */
export function CaptureLine() {
  const loaded = useDatabases().data;
  const databases = loaded ?? [];
  const none = loaded?.length === 0;
  const [chosen, setChosen] = useState(Number(localStorage.getItem(KEY)) || 0);
  const [text, setText] = useState("");
  const [caret, setCaret] = useState(0);
  const [each, setEach] = useState(true);
  const [pages, setPages] = useState(false);
  const [at, setAt] = useState(0);
  const [open, setOpen] = useState(false);
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const input = useRef<HTMLTextAreaElement>(null);
  const once = useRef({ text: "", key: "" }); // sent again after no answer came, the same text is the same capture
  const { tell, fail } = useNotices();
  const navigate = useNavigate();
  const to = databases.find((d) => d.id === chosen);
  const database = loaded ? (to?.id ?? null) : chosen || null; // one types before they are known
  const reading = useUnderstanding({ text, caret, database, each });
  const name = to?.name ?? reading?.name ?? (databases.length === 1 ? databases[0]?.name : undefined);
  const completions = open && reading && text ? reading.completions : [];
  const several = text.trim().includes("\n");

  useEffect(() => {
    const onKey = (event: globalThis.KeyboardEvent) => {
      if (event.ctrlKey && event.key === ";") {
        event.preventDefault();
        input.current?.focus();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  const save = useMutation({
    mutationFn: (captured: { database: number | null; text: string; each: boolean; pages: boolean; key: string }) =>
      answer(
        client.POST("/api/v1/capture", {
          body: { database: captured.database, text: captured.text, each: captured.each, read_pages: captured.pages },
          params: { header: { "idempotency-key": captured.key } },
        }),
      ),
    onSuccess: (made, captured) => {
      once.current = { text: "", key: "" };
      if (input.current?.value === captured.text) setText("");
      const number = made.records.length;
      const added = number === 1 ? `Added to ${made.name}.` : `${number} records added to ${made.name}.`;
      tell([added, ...made.not_understood.slice(0, 2).map((one) => `${one}.`)].join(" "), {
        label: "Open",
        run: () => void navigate(number === 1 ? `/databases/${made.database}/${made.record.id}` : `/databases/${made.database}`),
      });
    },
    onError: fail,
  });

  const change = (next: string, to: number) => {
    setText(next);
    setCaret(to);
    setAt(0);
    setOpen(true);
  };
  const complete = (word: string, start: number) => {
    const gap = word.endsWith(" ") || text.slice(caret).startsWith(" ") ? "" : " ";
    const next = text.slice(0, start) + word + gap + text.slice(caret);
    change(next, start + word.length + gap.length);
    setOpen(false);
    requestAnimationFrame(() => input.current?.setSelectionRange(start + word.length + gap.length, start + word.length + gap.length));
  };
  const send = () => {
    if (!text.trim() || none || save.isPending) return;
    if (once.current.text !== text) once.current = { text, key: newKey() };
    save.mutate({ database, text, each: each && several, pages, key: once.current.key });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const one = completions[at];
    if (one && (event.key === "ArrowDown" || event.key === "ArrowUp")) {
      event.preventDefault();
      setAt((at + (event.key === "ArrowDown" ? 1 : completions.length - 1)) % completions.length);
    } else if (one && event.key === "Tab" && !event.shiftKey) {
      event.preventDefault();
      complete(one.word, one.start);
    } else if (event.key === "Escape") {
      if (one) setOpen(false);
      else input.current?.blur();
    } else if (event.key === "Enter" && !event.shiftKey) {
      event.preventDefault();
      send();
    }
  };

  return (
    <form
      className="capture"
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
    >
      <kbd>Ctrl ;</kbd>
      <span>
        Capture to{" "}
        <button type="button" className="link" aria-haspopup="menu" onClick={(event) => setMenu(event.currentTarget)}>
          {name ?? "Best match"} ▾
        </button>
      </span>
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        {[{ id: 0, name: "Best match" }, ...databases].map((d) => (
          <MenuItem
            key={d.id}
            selected={d.id === (to?.id ?? 0)}
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
        {none && <MenuItem onClick={() => void navigate("/databases")}>Create a database first</MenuItem>}
      </Menu>
      <textarea
        ref={input}
        rows={Math.min(6, text.split("\n").length)}
        aria-label={`Capture to ${name ?? "Best match"}`}
        aria-autocomplete="list"
        value={text}
        disabled={none}
        placeholder="Type something, as in “Order leather Friday”, then press Enter to save"
        onChange={(event) => change(event.target.value, event.target.selectionStart)}
        onSelect={(event) => setCaret(event.currentTarget.selectionStart)}
        onBlur={() => setOpen(false)}
        onKeyDown={onKeyDown}
      />
      {text && <kbd>Enter</kbd>}
      {reading && (
        <div className="below">
          {completions.length > 0 && (
            <ul id="capture-completions" role="listbox" aria-label="Suggestions">
              {completions.map((c, n) => (
                <li
                  key={c.word}
                  role="option"
                  aria-selected={n === at}
                  onMouseDown={(e) => e.preventDefault()}
                  onClick={() => complete(c.word, c.start)}
                >
                  {c.word} {n === at && <kbd>Tab</kbd>}
                </li>
              ))}
            </ul>
          )}
          <Understood reading={reading} several={several} each={each} onEach={setEach} pages={pages} onPages={setPages} />
        </div>
      )}
    </form>
  );
}
