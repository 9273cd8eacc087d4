/** A key under which a write is carried out once. Not by crypto.randomUUID, which there is on secure pages only. */
export function newKey(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}
