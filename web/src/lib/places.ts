/** The currency that is usual where a clock runs, for the first words of a new book; one click changes it. */

/** Zones by currency; a zone that ends with / stands for all of its towns, and longer ones count before it. */
const ZONES: Record<string, string> = {
  AED: 'Asia/Dubai',
  ARS: 'America/Argentina/ America/Buenos_Aires',
  AUD: 'Australia/',
  BGN: 'Europe/Sofia',
  BRL: 'America/Sao_Paulo America/Bahia America/Manaus America/Fortaleza America/Recife America/Belem',
  CAD: 'America/Toronto America/Vancouver America/Montreal America/Halifax America/Winnipeg America/Edmonton America/Regina America/St_Johns',
  CHF: 'Europe/Zurich Europe/Vaduz',
  CLP: 'America/Santiago',
  CNY: 'Asia/Shanghai Asia/Urumqi',
  COP: 'America/Bogota',
  CZK: 'Europe/Prague',
  DKK: 'Europe/Copenhagen Atlantic/Faroe',
  EUR: 'Europe/ Atlantic/Azores Atlantic/Canary Atlantic/Madeira Asia/Nicosia Indian/Reunion',
  GBP: 'Europe/London Europe/Belfast Europe/Jersey Europe/Guernsey Europe/Isle_of_Man',
  HKD: 'Asia/Hong_Kong',
  HUF: 'Europe/Budapest',
  IDR: 'Asia/Jakarta Asia/Makassar',
  ILS: 'Asia/Jerusalem',
  INR: 'Asia/Kolkata Asia/Calcutta',
  ISK: 'Atlantic/Reykjavik',
  JPY: 'Asia/Tokyo',
  KRW: 'Asia/Seoul',
  MXN: 'America/Mexico_City America/Monterrey America/Tijuana America/Cancun',
  MYR: 'Asia/Kuala_Lumpur',
  NGN: 'Africa/Lagos',
  NOK: 'Europe/Oslo',
  NZD: 'Pacific/Auckland Pacific/Chatham',
  PHP: 'Asia/Manila',
  PLN: 'Europe/Warsaw',
  RON: 'Europe/Bucharest',
  RSD: 'Europe/Belgrade',
  SEK: 'Europe/Stockholm',
  SGD: 'Asia/Singapore',
  THB: 'Asia/Bangkok',
  TRY: 'Europe/Istanbul',
  UAH: 'Europe/Kyiv Europe/Kiev',
  USD: 'America/ Pacific/Honolulu',
  VND: 'Asia/Ho_Chi_Minh Asia/Saigon',
  ZAR: 'Africa/Johannesburg',
};
const CURRENCY_OF = new Map(
  Object.entries(ZONES).flatMap(([currency, zones]) => zones.split(' ').map((zone) => [zone, currency])),
);

export function currencyAt(timeZone: string): string {
  const parts = timeZone.split('/');
  const wholes = parts.map((_, left) => parts.slice(0, parts.length - left).join('/'));
  const known = wholes.map((place, at) => CURRENCY_OF.get(at ? `${place}/` : place)).find(Boolean);
  return known ?? 'EUR';
}
