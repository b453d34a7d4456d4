/** How many there are of something: "1 row", "1,200 rows". */
export const howMany = (n: number, one: string, many: string) =>
  n === 1 ? `1 ${one}` : `${n.toLocaleString("en-IE")} ${many}`;

/** How many people: "1 person", "1,200 people". */
export const people = (n: number) => howMany(n, "person", "people");

/** A date as people here write it. */
export function day(iso: string | undefined): string {
  if (!iso) return "";
  const [year, month, date] = iso.slice(0, 10).split("-").map(Number);
  return new Date(Date.UTC(year!, month! - 1, date)).toLocaleDateString("en-IE", {
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone: "UTC",
  });
}

/** How many a list holds; long logs are counted up to a bound. */
export function counted(list: { total: number; more?: boolean } | undefined): string {
  return `${list?.more ? "more than " : ""}${(list?.total ?? 0).toLocaleString("en-IE")}`;
}

/** The time of day of a moment. */
export const clock = (at: Date | number) =>
  new Date(at).toLocaleTimeString("en-IE", { hour: "2-digit", minute: "2-digit", hourCycle: "h23" });

/** Within so many milliseconds of now a moment is told without its year: 90 days. */
const near = 90 * 86_400_000;

/** The time of a zone, as people call it: Dublin time. */
export const zoneName = (zone: string) => `${(zone.split("/").at(-1) ?? zone).replaceAll("_", " ")} time`;

/** The reader's own time zone. */
export const ownZone = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** What a clock in a zone shows at a moment. */
export const wallOf = (at: Date, zone: string) => at.toLocaleString("sv-SE", { timeZone: zone });

/** Whether clocks in a zone show something else than the reader's own, at a moment. */
export const isElsewhere = (zone: string | undefined, at = new Date()): zone is string =>
  !!zone && zone !== ownZone && wallOf(at, zone) !== wallOf(at, ownZone);

/**
 * A moment, with its year unless it is of this one and not long ago or ahead. Of what is at a place elsewhere it is the
 * time there, and says so.
 */
export function moment(iso: string, zone?: string): string {
  const at = new Date(iso);
  const there = isElsewhere(zone, at);
  const far = Math.abs(at.getTime() - Date.now()) > near || at.getFullYear() !== new Date().getFullYear();
  const text = at.toLocaleString("en-IE", {
    day: "numeric",
    month: "short",
    ...(far && { year: "numeric" }),
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    hourCycle: "h23",
    ...(there && { timeZone: zone }),
  });
  return there ? `${text} ${zoneName(zone)}` : text;
}

/** The moment that a date and time, as typed into a form, means in a time zone; in the browser's own where none is known. */
export function instant(typed: string, zone?: string): string {
  if (!zone) return new Date(typed).toISOString();
  const wall = Date.parse(`${typed}Z`);
  let at = wall;
  for (let step = 0; step < 2; step++)
    at = wall - (Date.parse(`${wallOf(new Date(at), zone).replace(" ", "T")}Z`) - at); // twice: a clock change may lie between
  return new Date(at).toISOString();
}

export const engagementWord: Record<string, string> = {
  employee: "Employee",
  agency: "Agency",
  contractor: "Contractor",
  seasonal: "Seasonal",
};

export const kindWord: Record<string, string> = {
  organisation: "Organisation",
  site: "Site",
  zone: "Zone",
  door: "Door",
  device: "Device",
  work_centre: "Work centre",
};

export const proofWord: Record<string, string> = {
  badge: "a badge",
  pin: "a PIN",
  badge_or_pin: "a badge or a PIN",
  badge_and_pin: "a badge and a PIN",
};
