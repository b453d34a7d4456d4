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

/** The first of a month so many months after that of a day. */
const firstAfter = (day: string, count: number) =>
  iso(new Date(Date.UTC(Number(day.slice(0, 4)), Number(day.slice(5, 7)) - 1 + count, 1)));

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
 * days ahead, mon for the next Monday, end of month. Of two numbers the first is the day. What is none is undefined.
 */
export function readDay(typed: string, today: string): string | undefined {
  const text = typed.trim().toLowerCase().replace(/,/g, " ").replace(/\s+/g, " ");
  const ahead = { yesterday: -1, today: 0, tomorrow: 1 }[text];
  if (ahead !== undefined) return daysAfter(today, ahead);
  const last = /^(?:the )?(end|last day) of (?:the |this )?(month|year)$/.exec(text)?.[2];
  if (last) return daysAfter(firstAfter(today, last === "month" ? 1 : 13 - Number(today.slice(5, 7))), -1);
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

/** A time at the end of a text: 18:30, 18.30, 18h30, 18h, 6 pm, 6:30 p.m., noon; and what stands before it. */
function clockOf(text: string): [before: string, minutes: number] | undefined {
  const noon = /^(.*?)[ ,]*\bnoon$/i.exec(text);
  if (noon) return [noon[1] ?? "", 12 * 60];
  const half = /^(.*?)(?:t|[ ,]+)?\b(\d{1,2})(?:[:.](\d{2}))? ?([ap])\.?m\.?$/i.exec(text);
  if (half) {
    const [, before = "", hour = "", minute = "0", part = ""] = half;
    if (Number(hour) < 1 || Number(hour) > 12 || Number(minute) > 59) return undefined;
    return [before, ((Number(hour) % 12) + (part.toLowerCase() === "p" ? 12 : 0)) * 60 + Number(minute)];
  }
  const found = /^(.*?)(?:t|[ ,]+)?(\d{1,2})(?:[:.h](\d{2})(?::00)?|h)$/i.exec(text);
  if (!found) return undefined;
  const [, before = "", hour, minute = "0"] = found;
  return Number(hour) > 23 || Number(minute) > 59 ? undefined : [before, Number(hour) * 60 + Number(minute)];
}

/** Reads a day with a time of the clock, such as 24 Dec 2026 06:00 or tomorrow 6 pm; a time alone is of today. */
export function readMoment(typed: string, today: string): string | undefined {
  const [before, minutes] = clockOf(typed.trim()) ?? [];
  if (before === undefined || minutes === undefined) return undefined;
  const day = before.trim() === "" ? today : readDay(before.replace(/[ ,]+at$/i, ""), today);
  const two = (n: number) => String(n).padStart(2, "0");
  return day && `${day}T${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}

/** A day as it is shown: 24 Dec 2026. */
export function writeDay(day: string): string {
  const [year, month, date] = day.split("-").map(Number);
  const word = months[(month ?? 1) - 1] ?? "";
  return `${date} ${word.charAt(0).toUpperCase()}${word.slice(1)} ${year}`;
}

/** A moment as it is shown: 24 Dec 2026 06:00. */
export const writeMoment = (at: string) => `${writeDay(at.slice(0, 10))} ${at.slice(11, 16)}`;
