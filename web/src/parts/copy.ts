/** Put a text on the clipboard. Where the page is not secure, the browser has a clipboard for what is selected only. */
export async function copyText(text: string): Promise<void> {
  if (navigator.clipboard) return navigator.clipboard.writeText(text);
  const box = document.createElement("textarea");
  box.value = text;
  box.style.position = "fixed";
  document.body.append(box);
  box.select();
  const done = document.execCommand("copy");
  box.remove();
  if (!done) throw new Error("The browser blocks copying here. Open Kelvix by a secure address.");
}
