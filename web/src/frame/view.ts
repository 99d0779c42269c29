/** A view of a stop, as one record: what it asks, what a change of that clears, what is opened, and how it is drawn. */
import type { Component } from 'svelte';
import type { AnswerTo, Rows } from '$lib/answer.svelte';
import type { Schemas } from '$lib/api/client';
import type { Asking } from '$lib/question.svelte';

/** What every answer says of itself. */
export type Answered = Pick<
  Schemas['CohortsShape'],
  | 'reading'
  | 'sentence'
  | 'manner'
  | 'controls'
  | 'currency'
  | 'revision'
  | 'customers_on_record'
  | 'orders_on_record'
  | 'orders_read'
>;

/** What each part of a view is given. */
interface Given<Answer, Row> {
  book: Schemas['BookShape'];
  /** The view whose answer it is. */
  name: string;
  answer: Answer;
  rows: Rows<Row>;
  /** The answer is to an earlier question. */
  stale: boolean;
}

/** A table that can be taken as a file. */
interface Table {
  file: string;
  query: object;
  label: string;
}

interface Drawn<Answer, Row> extends Asking {
  /** Where the rows of a long answer stand. */
  rows?: (answer: Answer) => Row[];
  drawing: Component<Given<Answer, Row>>;
  /** Stands beside the drawing while nothing is opened. */
  guide?: Component<Given<Answer, Row>>;
  /** How the drawing is read, in words, below what else stands there. */
  howToRead?: string;
  /** Words about the answer, after how it is answered; they stand in a paragraph. */
  about?: Component<Given<Answer, Row>>;
  /** What can be done with the answer, beside the download. */
  tools?: Component<Given<Answer, Row>>;
  /** A page of its own, beside a narrow drawing. */
  page?: { isOpen: () => boolean; close: () => void; drawing: Component<{ book: Schemas['BookShape'] }> };
  /** The tables that can be taken as files, when there are more than the one that is shown. */
  tables?: (shown: Table, book: number) => Table[];
  /** An answer that is shown before the address asks for it. */
  meanwhile?: () => Answer | undefined;
  /** It says something where no order is read. */
  withoutOrders?: boolean;
}

export type View = Drawn<Answered, unknown>;

/** One view, by the name of the question that it asks. */
export function defineView<Name extends string, Row = never>(
  view: Drawn<AnswerTo<Name>, Row> & { name: Name },
): View {
  return view as unknown as View;
}
