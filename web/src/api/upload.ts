import { answer, client } from "./client";

/** Send a file as it is: what a file field is filled with then. */
export async function upload(file: File): Promise<string[]> {
  const kept = await answer(
    client.POST("/api/v1/files", {
      params: { query: { name: file.name } },
      body: file.name, // named in the contract as bytes; what is sent is the file itself
      bodySerializer: () => file,
      headers: { "content-type": "application/octet-stream" },
    }),
  );
  return kept.file;
}
