/** With commas between thousands. */
export const inThousands = (text: string) => text.replace(/\B(?=(\d{3})+(?!\d))(?<!\.\d*)/g, ",");
