/** Text without case and marks, so that “oconnor” finds “Ó Connor”. */
export const fold = (text: string) =>
  text
    .normalize("NFD")
    .replace(/[\u0300-\u036f'’]/g, "")
    .toLowerCase();

/** Whether every word that was typed is somewhere in a text that is folded already. */
export const fits = (folded: string, typed: string) =>
  fold(typed)
    .split(/\s+/)
    .every((word) => folded.includes(word));
