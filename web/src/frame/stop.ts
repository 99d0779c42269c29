/** What the frame knows of a stop. */
import type { Component } from 'svelte';
import type { Schemas } from '$lib/api/client';

type StopPage = Component<{ book: Schemas['BookShape'] }>;

export interface Stop {
  /** As the address names it. */
  name: string;
  title: string;
  /** Stands apart from the thread. */
  apart?: boolean;
  load: () => Promise<{ default: StopPage }>;
}
