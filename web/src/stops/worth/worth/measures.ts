/** Figures of the arithmetic as people read them. */
import type { Schemas } from '$lib/api/client';
import { count, decimal, percent } from '$lib/format/figures';

export type Measure = Schemas['MeasureShape'];

/** One of some figures: 16 069, 7.3, 26.3 %, 213.80, month 3; a dash where nothing applies. What winning a customer cost
 * is not paid back *yet* only where profit is known. */
export function valueWords(measures: readonly Measure[], name: string, period = ''): string {
  const measure = measures.find((each) => each.measure === name);
  if (!measure) return '—';
  if (measure.unbounded) return 'no end';
  const { value } = measure;
  if (value === null) {
    const isProfitKnown = measures.some((each) => each.measure === 'observed_profit' && each.value !== null);
    return name === 'break_even_age' && isProfitKnown ? 'not yet' : '—';
  }
  switch (measure.unit) {
    case 'count':
      return count(value);
    case 'ratio':
      return decimal(value);
    case 'share':
      return `${percent(value, 1)} %`;
    case 'money':
      return decimal(value, 2);
    case 'periods':
      return period ? `${decimal(value)} ${period}s` : decimal(value);
    case 'age':
      return period ? `${period} ${value}` : String(value);
  }
}
