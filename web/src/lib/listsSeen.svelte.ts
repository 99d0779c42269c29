/** What the server last said of a book's lists: another mark once anything about them, or their members, changed. */
class ListsSeen {
  mark = $state('');
}

export const listsSeen = new ListsSeen();
