/** A screen that is not built yet says plainly what will be there. */
export function Planned({ name, what }: { name: string; what: string }) {
  return (
    <main>
      <div className="head">
        <h1>{name}</h1>
      </div>
      <div className="empty">
        <p>{what}</p>
        {name !== "Nothing here" && <p>This screen is not built yet.</p>}
      </div>
    </main>
  );
}
