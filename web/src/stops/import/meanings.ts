/** What a column can mean, in words; the generated types make sure that none is forgotten. */
import type { Schemas } from '$lib/api/client';

export type Meaning = Schemas['Meaning'];
export type FileKind = Schemas['FileKind'];
export type DateForm = Schemas['DateForm'];
export type DecimalMark = Schemas['DecimalMark'];
export type Choice = Schemas['Choice'];
export type KeptAt = Schemas['KeptAt'];
export type OrdersBy = Schemas['OrdersBy'];
export type TwoDigitYears = Schemas['TwoDigitYears'];
export type OrderStatus = Schemas['OrderStatus'];

export const MEANING_WORDS: Record<Meaning, string> = {
  order_number: 'order number',
  customer: 'customer',
  date: 'date',
  amount: 'amount',
  status: 'status',
  currency: 'currency',
  line_number: 'line number',
  product: 'product',
  category: 'category',
  quantity: 'quantity',
  unit_price: 'unit price',
  customer_number: 'customer number',
  email: 'e-mail',
  name: 'name',
  town: 'town',
  closed: 'closed or not',
  do_not_contact: 'do not contact',
  rep: 'sales rep',
  channel: 'channel',
  reference: 'payment reference',
  month: 'month',
  until: 'last day',
  label: 'label',
  number_with: 'part of the order number',
  year: 'year of the date',
  day: 'day of the date',
  time: 'time of day',
  debit: 'debit, which adds',
  credit: 'credit, which takes off',
  return: 'sale or return',
};

export const KIND_WORDS: Record<FileKind, string> = {
  orders: 'one row per order',
  lines: 'one row per order line',
  customers: 'one row per customer',
  payments: 'one row per payment',
  spend: 'one row per month and channel of spend',
  events: 'one row per event',
  matches: 'a match of customers',
};

/** What the records of a delivery are called. */
export const RECORD_WORDS: Record<FileKind, string> = {
  orders: 'order',
  lines: 'order',
  customers: 'customer',
  payments: 'payment',
  spend: 'entry of spend',
  events: 'event',
  matches: 'decision',
};

export const DATE_WORDS: Record<DateForm, string> = {
  iso: 'year-month-day',
  dmy: 'day/month/year',
  mdy: 'month/day/year',
  serial: 'day numbers',
  serial1904: 'day numbers from 1904',
  seconds: 'seconds since 1970',
  milliseconds: 'milliseconds since 1970',
};

export const DECIMAL_WORDS: Record<DecimalMark, string> = {
  point: 'a decimal point',
  comma: 'a decimal comma',
};

export const ORDERS_BY_WORDS: Record<OrdersBy, string> = {
  time: 'one customer at one time',
  day: 'one customer on one day',
};

/** Where a further column of orders is kept: of what it says something. */
export const KEPT_WORDS: Record<KeptAt, string> = {
  customer: 'of the customer',
  order: 'of the order',
  line: 'of the line',
  nowhere: 'not kept',
};

export const YEAR_WORDS: Record<TwoDigitYears, string> = { '20yy': '20yy', '19yy': '19yy' };

export const KEY_WORDS: Record<Schemas['KeyKind'], string> = { number: 'number', email: 'e-mail' };

export const STATUSES: OrderStatus[] = ['open', 'paid', 'cancelled', 'refunded'];

/** Whether the rows of a kind have a date, an amount, a customer by key. */
export const HAS: Record<FileKind, { date: boolean; amount: boolean; key: boolean }> = {
  orders: { date: true, amount: true, key: true },
  lines: { date: true, amount: true, key: true },
  customers: { date: false, amount: false, key: false },
  payments: { date: true, amount: true, key: true },
  spend: { date: true, amount: true, key: false },
  events: { date: true, amount: false, key: false },
  matches: { date: false, amount: false, key: false },
};
