export interface Saved {
  name: string;
  folder: string;
  link: string | null;
  happened: "added" | "replaced" | "there";
}

const SAVED: Record<Saved["happened"], string> = { added: "saved", replaced: "replaced", there: "already existed" };

/** A file that was saved, with the link that opens it. */
export function SavedOutcome({ saved }: { saved: Saved }) {
  return (
    <>
      <span className="ok">
        <span className="mk">↓</span>
        {SAVED[saved.happened]}
      </span>{" "}
      <small className="quiet">
        {saved.link ? (
          <a href={saved.link} target="_blank" rel="noreferrer">
            {saved.name}
          </a>
        ) : (
          saved.name
        )}{" "}
        in {saved.folder}
      </small>
    </>
  );
}
