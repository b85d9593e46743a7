// What a device remembers beyond a visit, in a cookie of a year: of nudges that are bounded by
// the day or by the shopper, how often each was shown, when the first show of a day was, how
// many there were since, and when it was declined.
export type Kept = Record<string, [shows: number, first: number, today: number, declined?: number]>;

const cookie = 'agonal_shows';
const day = 864e5;

const read = (): Kept => {
  const m = document.cookie.match(new RegExp(`(?:^|; )${cookie}=([^;]*)`));
  try {
    return m ? (JSON.parse(decodeURIComponent(m[1])) as Kept) : {};
  } catch {
    return {}; // what cannot be read bounds nothing
  }
};

/** How often each nudge was shown, ever and within a day of the first, and how long ago it was declined. */
export const recall = () =>
  Object.fromEntries(
    Object.entries(read()).map(([id, [shows, first, today, at]]) => {
      const since = Date.now() - first;
      return [id, { shows, today: since >= 0 && since < day ? today : 0, ...(at && { since_declined: Math.max(0, Math.floor((Date.now() - at) / 1000)) }) }];
    }),
  );

const keep = (id: string, what: Kept[string]) => {
  const { [id]: _, ...others } = read();
  const last = Object.fromEntries(Object.entries({ ...others, [id]: what }).slice(-30));
  document.cookie = `${cookie}=${encodeURIComponent(JSON.stringify(last))}; path=/; max-age=31536000; SameSite=Lax`;
};

/** Counts a show. */
export const remember = (id: string) => {
  const was = recall()[id] ?? { shows: 0, today: 0 };
  const had = read()[id];
  keep(id, [was.shows + 1, was.today ? had[1] : Date.now(), was.today + 1, had?.[3] ?? 0]);
};

/** Notes that it was declined. */
export const declined = (id: string) => {
  const [shows, first, today] = read()[id] ?? [0, 0, 0];
  keep(id, [shows, first, today, Date.now()]);
};
