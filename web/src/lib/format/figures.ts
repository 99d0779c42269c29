/** Figures as people read them: thousands set apart, dashes where nothing applies. */
import { written } from './reader';

const NONE = '—';

/** A whole number: 2 377, −12. */
export function count(value: number): string {
  return money(value.toFixed(0));
}

/** A number with so many decimals: 2.5, −0.1. */
export function decimal(value: number, places = 1): string {
  return money(value.toFixed(places));
}

/** A figure that rounds to nothing has no sign; another one has a real minus. */
function minus(text: string): string {
  return written(/^-[0.]*$/.test(text) ? text.slice(1) : text.replace('-', '−'));
}

/** An exact amount from its decimal text: 31 204.85; without its decimals when `whole`. */
export function money(decimal: string, whole = false): string {
  const [units = '0', decimals = ''] = decimal.split('.');
  const digits = units.replace(/\B(?=(\d{3})+$)/g, '\u202f');
  return minus(whole || !decimals ? digits : `${digits}.${decimals}`);
}

/** An exact amount with its sign: +31 204.85, −12.00. */
export function signed(decimal: string): string {
  const text = money(decimal);
  return text.startsWith('−') ? text : `+${text}`;
}

/** A large figure roughly, where there is no room for all of it: 432 k, 1.2 M. */
export function rounded(value: number): string {
  if (Math.abs(value) >= 999_500) return `${decimal(value / 1e6)} M`;
  return Math.abs(value) >= 1000 ? `${count(Math.round(value / 1000))} k` : count(value);
}

/** A share as a percentage without its sign: 39, or 39.4. */
export function percent(share: number | null, decimals = 0): string {
  return share === null ? NONE : minus((share * 100).toFixed(decimals));
}

/** A count with its noun: 1 order, 18 orders, 3 entries of spend. */
export function counted(value: number, noun: string): string {
  return `${count(value)} ${nounFor(value, noun)}`;
}

/** A noun for so many: order, orders, entries of spend. */
export function nounFor(value: number, noun: string): string {
  if (value === 1) return noun;
  return noun.replace(/^\w+/, (word) => (/[^aeiou]y$/.test(word) ? `${word.slice(0, -1)}ies` : `${word}s`));
}

/** A duration that is left, roughly: 20 seconds, 3 minutes. */
export function duration(seconds: number): string {
  return seconds < 90
    ? counted(Math.max(1, Math.round(seconds)), 'second')
    : counted(Math.round(seconds / 60), 'minute');
}
