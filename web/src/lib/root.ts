/** What stands before every address of the page and of the server: nothing, or a path such as /orders where a proxy gives
 * them only that part of a site. The server writes it into the page. */
export const ROOT: string =
  typeof document === 'undefined'
    ? ''
    : (document.querySelector<HTMLMetaElement>('meta[name="root"]')?.content ?? '');
