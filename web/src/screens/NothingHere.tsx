/** An address at which nothing is. */
export function NothingHere() {
  return (
    <main>
      <div className="head">
        <h1>Nothing here</h1>
      </div>
      <div className="empty">
        <p>Page not found. Choose a page from the navigation.</p>
      </div>
    </main>
  );
}
