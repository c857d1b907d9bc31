// How numbers, days and times are written: as in the firm's region, in English.

/** locale is that of the firm; the United States until it is known. */
export let locale = "en-US";

/** setRegion says in which region (ISO 3166) the firm is. */
export function setRegion(region: string) {
  locale = /^[A-Z]{2}$/.test(region) ? `en-${region}` : "en-US";
}

/** figure writes a whole number for reading: 1,204. */
export const figure = (n: number) => n.toLocaleString(locale);
