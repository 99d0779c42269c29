/** Figures of the arithmetic as people read them. */
import type { Schemas } from '$lib/api/client';
import { count, decimal, percent } from '$lib/format/figures';

export type Measure = Schemas['MeasureShape'];

/** A figure: 16 069, 7.3, 26.3 %, 213.80, month 3; a dash where nothing applies. */
export function valueWords(measure: Measure | undefined, period = ''): string {
  if (!measure) return '—';
  if (measure.unbounded) return 'no end';
  const { value } = measure;
  if (value === null) return measure.measure === 'break_even_age' ? 'not yet' : '—';
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
