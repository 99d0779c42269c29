/** What a column can mean, in words; the generated types make sure that none is forgotten. */
import type { Schemas } from '$lib/api/client';

export type Meaning = Schemas['Meaning'];
export type FileKind = Schemas['FileKind'];

export const MEANING_WORDS: Record<Meaning, string> = {
  order_number: 'order number',
  customer: 'customer',
  date: 'order date',
  amount: 'amount',
  status: 'status',
  currency: 'currency',
  line_number: 'line number',
  product: 'product',
  category: 'category',
  quantity: 'quantity',
  customer_number: 'customer number',
  email: 'e-mail',
  name: 'name',
};

export const KIND_WORDS: Record<FileKind, string> = {
  orders: 'one row per order',
  lines: 'one row per order line',
  customers: 'one row per customer',
};

export type DateForm = Schemas['DateForm'];
export type DecimalMark = Schemas['DecimalMark'];

export const DATE_WORDS: Record<DateForm, string> = {
  iso: 'year-month-day',
  dmy: 'day/month/year',
  mdy: 'month/day/year',
  serial: 'day numbers',
};

export const DECIMAL_WORDS: Record<DecimalMark, string> = {
  point: 'a decimal point',
  comma: 'a decimal comma',
};

export const KEY_WORDS: Record<Schemas['KeyKind'], string> = { number: 'number', email: 'e-mail' };
