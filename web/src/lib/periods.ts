/** Periods by their ISO names: their days, and the events that fall into them. */
import type { Schemas } from './api/client';

const DAY_MS = 86_400_000;

/** First day of a day, week, month, quarter or year, and the first day after it, in ISO form. */
export function daysOf(period: string): [string, string] {
  const [year = '', rest = '', day] = period.split('-');
  const iso = (at: number) => new Date(at).toISOString().slice(0, 10);
  if (day !== undefined) return [period, iso(Date.parse(`${period}T00:00:00Z`) + DAY_MS)];
  if (rest.startsWith('W')) {
    const fourth = new Date(Date.UTC(Number(year), 0, 4));
    const monday = fourth.getTime() - ((fourth.getUTCDay() + 6) % 7) * DAY_MS;
    const begins = monday + (Number(rest.slice(1)) - 1) * 7 * DAY_MS;
    return [iso(begins), iso(begins + 7 * DAY_MS)];
  }
  const months = rest.startsWith('Q') ? 3 : rest ? 1 : 12;
  const first = rest.startsWith('Q') ? (Number(rest.slice(1)) - 1) * 3 : rest ? Number(rest) - 1 : 0;
  return [iso(Date.UTC(Number(year), first, 1)), iso(Date.UTC(Number(year), first + months, 1))];
}

/** The places of the periods that events fall into, with their labels. */
export function eventsOver(
  periods: string[],
  events: Schemas['EventShape'][],
): { place: number; labels: string[] }[] {
  if (events.length === 0) return [];
  return periods.flatMap((period, place) => {
    const [begins, after] = daysOf(period);
    const labels = events
      .filter((event) => event.begins < after && event.ends >= begins)
      .map((event) => event.label);
    return labels.length ? [{ place, labels }] : [];
  });
}
