import { Button, MenuItem, TextField } from "@mui/material";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { useDatabases } from "../../api/queries";
import { Understood } from "../../frame/Understood";
import { useUnderstanding } from "../../frame/useUnderstanding";
import { add, drop, flush, useQueue } from "./queue";

/** What a bookmark button or a phone hands over, as lines. Most apps of a phone share an address as text, or at its end. */
function handedOver(params: URLSearchParams): string {
  const [title, given, text] = ["title", "url", "selection"].map((name) => (params.get(name) ?? "").trim());
  const within = given ? undefined : text?.match(/https?:\/\/\S+$/)?.[0];
  const selection = within ? (text ?? "").slice(0, -within.length).trim() : (text ?? "");
  const url = given || within;
  if (!title && !url) return selection;
  const first = [title || selection.split("\n")[0], url].filter(Boolean).join(" ");
  const below = title ? selection : selection.split("\n").slice(1).join("\n");
  return [
    first,
    ...below
      .split("\n")
      .filter(Boolean)
      .map((line) => `> ${line}`),
  ].join("\n");
}

/** Text that becomes records: it works without a network, and sends later. */
export function QuickForm() {
  const [params] = useSearchParams();
  const databases = useDatabases().data ?? [];
  const [text, setText] = useState(() => handedOver(params));
  const [each, setEach] = useState(false);
  const [pages, setPages] = useState(false);
  const [database, setDatabase] = useState(0);
  const queue = useQueue();
  const several = text.trim().includes("\n");
  const reading = useUnderstanding({ text, caret: text.length, database: database || null, each });

  useEffect(() => {
    const again = () => void flush();
    window.addEventListener("online", again);
    const timer = setInterval(again, 15_000);
    again();
    return () => {
      window.removeEventListener("online", again);
      clearInterval(timer);
    };
  }, []);

  const save = () => {
    if (!text.trim()) return;
    if (add(text, each && several, pages, database || null)) setText("");
  };
  const takeBack = (key: string) => {
    const taken = drop(key);
    setText((typed) => (typed.trim() ? `${taken}\n${typed}` : taken));
  };

  return (
    <>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          save();
        }}
      >
        <textarea
          className="find"
          aria-label="Text to save"
          autoFocus
          rows={6}
          value={text}
          placeholder="For example “Order leather Friday”. Further lines become its text."
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && (event.ctrlKey || event.metaKey) && save()}
        />
        <TextField
          select
          size="small"
          label="Save to"
          value={String(database)}
          onChange={(event) => setDatabase(Number(event.target.value))}
        >
          <MenuItem value="0">{reading && !database ? `${reading.name}, best match` : "Best match"}</MenuItem>
          {databases.map((d) => (
            <MenuItem key={d.id} value={String(d.id)}>
              {d.name}
            </MenuItem>
          ))}
        </TextField>
        {reading && <Understood reading={reading} several={several} each={each} onEach={setEach} pages={pages} onPages={setPages} />}
        <Button type="submit" variant="contained" disabled={!text.trim()}>
          Save
        </Button>
      </form>
      <div role="status">
        {queue.said && queue.waiting.length === 0 && <p className="ok">{queue.said}</p>}
        {queue.held && <p className="look">{queue.held}</p>}
      </div>
      {queue.waiting.length > 0 && (
        <>
          <h2>{queue.waiting.length === 1 ? "1 not sent yet" : `${queue.waiting.length} not sent yet`}</h2>
          <ul aria-label="Not sent yet">
            {queue.waiting.map((w) => (
              <li key={w.key}>
                {w.text.split("\n")[0]} {w.problem && <span className="bad">! {w.problem}</span>}{" "}
                <button className="link" disabled={w.key === queue.sending} onClick={() => takeBack(w.key)}>
                  Edit
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
