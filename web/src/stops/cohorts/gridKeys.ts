/** Where keys lead in the cohort table. */
import type { Schemas } from '$lib/api/client';
import { ageAt, columnOf, firstAge, firstColumn } from './gridLayout';
import type { Pointed } from './pointed';

type Cohorts = Schemas['CohortsShape'];

const STEPS: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};
/** From the left: the customers, those who came back, then the cells. */
const PARTS = ['customers', 'back'] as const;

export function columnAt(answer: Cohorts, { row, age }: Pointed): number {
  return row < 0 ? age : columnOf(answer, row, age);
}

/** The place that a key leads to; undefined for other keys. By calendar, up and down keep the period and not the age.
 * The row over all cohorts is the last one. */
export function ledTo(answer: Cohorts, now: Pointed, key: string): Pointed | undefined {
  const step = STEPS[key];
  if (!step) return undefined;
  const [down, right] = step;
  const rows = answer.cohorts.length;
  const below = Math.max(0, Math.min(rows, (now.row < 0 ? rows : now.row) + down));
  const row = below === rows ? -1 : below;
  if (now.part) {
    const part = PARTS[PARTS.indexOf(now.part) + right];
    const atFirst = right > 0 && part === undefined;
    return atFirst ? kept(answer, row, 0) : { row, age: 0, part: part ?? now.part };
  }
  const column = columnAt(answer, now) + right;
  if (right < 0 && column < columnAt(answer, kept(answer, row, 0))) return { row, age: 0, part: 'back' };
  return kept(answer, row, row < 0 ? column : ageAt(answer, row, column));
}

/** The nearest place of a row that has a cell. */
function kept(answer: Cohorts, row: number, age: number): Pointed {
  const last = row < 0 ? answer.ages_shown - 1 : (answer.cohorts[row]?.customers.length ?? 1) - 1;
  const first = row < 0 ? firstColumn(answer) : firstAge(answer);
  return { row, age: Math.max(first, Math.min(last, age)) };
}
