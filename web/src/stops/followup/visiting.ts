/** The ways from one view of Follow-up to another. */
import { question } from '$lib/question.svelte';

/** Work a list: it becomes that of the reading line, alone. */
export function visitList(name: string): void {
  question.visit('worked', { list: name, list_as: null });
}
