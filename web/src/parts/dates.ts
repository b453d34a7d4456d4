/** How dates and moments are read, as people type them, and written. */

const months = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const weekdays = ["sun", "mon", "tue", "wed", "thu", "fri", "sat"];

const iso = (at: Date) => at.toISOString().slice(0, 10);

/** The day so many days after another. */
export function daysAfter(day: string, days: number): string {
  const at = new Date(`${day}T00:00:00Z`);
  at.setUTCDate(at.getUTCDate() + days);
  return iso(at);
}

/** The day, where there is one: not the 31st of February. */
function dayOf(year: number, month: number, date: number): string | undefined {
  const at = new Date(Date.UTC(year, month - 1, date));
  const real = at.getUTCFullYear() === year && at.getUTCMonth() === month - 1 && at.getUTCDate() === date;
  return real && year >= 1900 && year < 2200 ? iso(at) : undefined;
}

const yearOf = (text: string | undefined, today: string) => {
  if (!text) return Number(today.slice(0, 4));
  return text.length <= 2 ? 2000 + Number(text) : Number(text);
};

const monthOf = (word: string) => months.indexOf(word.slice(0, 3)) + 1;

/**
 * Reads a day in any usual form: 2026-12-24, 24.12.2026, 24/12/26, 24 Dec, Dec 24 2026, today, tomorrow, +7 for so many
 * days ahead, mon for the next Monday. Of two numbers the first is the day. What is none is undefined.
 */
export function readDay(typed: string, today: string): string | undefined {
  const text = typed.trim().toLowerCase().replace(/,/g, " ").replace(/\s+/g, " ");
  const ahead = { yesterday: -1, today: 0, tomorrow: 1 }[text];
  if (ahead !== undefined) return daysAfter(today, ahead);
  let found = /^\+(\d{1,3})( days?)?$/.exec(text);
  if (found) return daysAfter(today, Number(found[1]));
  found = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text);
  if (found) return dayOf(Number(found[1]), Number(found[2]), Number(found[3]));
  found = /^(\d{1,2})[./ -](\d{1,2})(?:[./ -](\d{2}|\d{4}))?\.?$/.exec(text);
  if (found) return dayOf(yearOf(found[3], today), Number(found[2]), Number(found[1]));
  found = /^(\d{2})(\d{2})(\d{4})$/.exec(text);
  if (found) return dayOf(Number(found[3]), Number(found[2]), Number(found[1]));
  found = /^(\d{1,2})(?:st|nd|rd|th|\.)?[ -]?([a-z]{3,9})\.?[ -]?(\d{2}|\d{4})?$/.exec(text);
  if (found) return dayOf(yearOf(found[3], today), monthOf(found[2] ?? ""), Number(found[1]));
  found = /^([a-z]{3,9})\.? (\d{1,2})(?:st|nd|rd|th)?(?: (\d{4}))?$/.exec(text);
  if (found) return dayOf(yearOf(found[3], today), monthOf(found[1] ?? ""), Number(found[2]));
  const weekday = /^[a-z]{3,9}$/.test(text) ? weekdays.indexOf(text.slice(0, 3)) : -1;
  if (weekday < 0) return undefined;
  return daysAfter(today, ((weekday - new Date(`${today}T00:00:00Z`).getUTCDay() + 6) % 7) + 1);
}

/** Reads a day with a time of the clock, such as 24 Dec 2026 06:00; a time alone is of today. */
export function readMoment(typed: string, today: string): string | undefined {
  const found = /^(.*?)(?:t|[ ,]+)?(\d{1,2})[:.h](\d{2})(?::00)?$/i.exec(typed.trim());
  if (!found) return undefined;
  const [, before = "", hour, minute] = found;
  const day = before.trim() === "" ? today : readDay(before, today);
  if (!day || Number(hour) > 23 || Number(minute) > 59) return undefined;
  return `${day}T${String(hour).padStart(2, "0")}:${minute}`;
}

/** A day as it is shown: 24 Dec 2026. */
export function writeDay(day: string): string {
  const [year, month, date] = day.split("-").map(Number);
  const word = months[(month ?? 1) - 1] ?? "";
  return `${date} ${word.charAt(0).toUpperCase()}${word.slice(1)} ${year}`;
}

/** A moment as it is shown: 24 Dec 2026 06:00. */
export const writeMoment = (at: string) => `${writeDay(at.slice(0, 10))} ${at.slice(11, 16)}`;
