/** The Overview question as the address holds it. */
import { defineQuestion } from '$lib/question.svelte';

export const question = defineQuestion<Record<string, string | string[]>>({ single: ['margin', 'cac'] });
