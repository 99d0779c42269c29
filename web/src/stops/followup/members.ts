/** Members of a list that is worked: how far they are, and what became of them, in words. */
import type { Schemas } from '$lib/api/client';
import { date } from '$lib/format/dates';
import { count, counted, percent } from '$lib/format/figures';

export type WorkedList = Schemas['WorkedListShape'];
export type Member = Schemas['MemberShape'] & { thread: Schemas['ThreadShape'] };
export type Entry = Schemas['EntryShape'];
export type Share = Schemas['ShareShape'];
export type Shown = Schemas['MembersShown'];

export const GROUPS: Record<Shown, string> = {
  all: 'all members',
  to_do: 'to do',
  contacted: 'contacted',
  left_out: 'left out',
  held_back: 'in the control group',
};

/** The rows of an answer with their threads where a list of threads looks for them. */
export function membersOf(answer: WorkedList): Member[] {
  return answer.rows.map(memberOf);
}

export function memberOf(member: Schemas['MemberShape']): Member {
  return { ...member, thread: member.row.thread };
}

/** All that was put down of a member: ✓ 1 Nov 2026, phone, by Mo: kiln being repaired. */
export function wholeEntry(entry: Entry): string {
  const parts = [entryWords(entry), entry.channel, entry.contacted_by && `by ${entry.contacted_by}`];
  return [parts.filter(Boolean).join(', '), entry.note].filter(Boolean).join(': ');
}

/** How far a member is: ✓ 1 Nov 2026; call 3 Mar 2026. */
export function entryWords(entry: Entry): string {
  if (entry.state === 'contacted') return `✓ ${entry.contacted_on ? date(entry.contacted_on) : 'contacted'}`;
  if (entry.state === 'left_out') return entry.held_back ? 'control group' : 'left out';
  return entry.call_on ? `call ${date(entry.call_on)}` : '';
}

/** What came of a member: 12 Nov 2026, after 9 days. */
export function becameWords(member: Pick<Member, 'ordered_on' | 'after_days' | 'over'>): string {
  if (member.ordered_on === null || member.after_days === null) return member.over ? 'no' : 'not yet';
  return `${date(member.ordered_on)}, after ${counted(member.after_days, 'day')}`;
}

/** The same in a column: 12 Nov 2026 (9 d). */
export function becameShort(member: Pick<Member, 'ordered_on' | 'after_days' | 'over'>): string {
  return member.ordered_on === null || member.after_days === null
    ? becameWords(member)
    : `${date(member.ordered_on)} (${count(member.after_days)} d)`;
}

/** How many of a group ordered again: 9 of 31 (29 %), 4 still open. */
export function shareWords(share: Share): string {
  const of =
    share.over > 0 ? `${count(share.ordered)} of ${count(share.over)} (${percent(share.share)} %)` : '—';
  return share.still_open > 0 ? `${of}, ${count(share.still_open)} still open` : of;
}

/** The outcome of a group of members. */
export function outcomeOf(answer: WorkedList, members: Shown): Share | undefined {
  return answer.groups.find((group) => group.members === members)?.outcome;
}

/** How many members nothing is left to do about. */
export function doneCount(answer: WorkedList): number {
  return (
    answer.customers -
    (outcomeOf(answer, 'to_do')?.customers ?? 0) -
    (outcomeOf(answer, 'held_back')?.customers ?? 0)
  );
}
