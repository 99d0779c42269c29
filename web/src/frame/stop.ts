/** What the frame knows of a stop. */
import type { Component } from 'svelte';
import type { Schemas } from '$lib/api/client';
import type { Right } from '$lib/me.svelte';
import type { View } from './view';

export interface Stop {
  /** As the address names it. */
  name: string;
  title: string;
  /** What it was called before: an address of then leads to it. */
  was?: string;
  /** Stands apart from the thread: in the head beside it, or in the menu of the book. */
  apart?: 'head' | 'menu';
  /** What it takes to see it; else to ask. */
  right?: Right;
  /** Its views by the questions that they ask, the usual one first. */
  views?: Record<string, () => Promise<{ VIEW: View }>>;
  /** Choices that go along from one view to another. */
  along?: readonly string[];
  /** A page of its own, where it asks no question. */
  load?: () => Promise<{ default: Component<{ book: Schemas['BookShape']; stop: Stop }> }>;
}
