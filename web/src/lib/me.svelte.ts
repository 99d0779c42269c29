/** Who uses the page, and what they may do. Where nobody has an account everything may be done. */
import type { Schemas } from './api/client';

export type Right = Schemas['Right'];
export type Session = Schemas['SessionShape'];

class Me {
  session = $state.raw<Session>();
  /** What may be done in the book that is open. */
  #rights = $state.raw<readonly Right[]>([]);
  role = $state<Schemas['Role'] | null>(null);
  /** Somebody has to sign in before anything goes on. */
  mustSignIn = $state(false);
  #waiting: (() => void)[] = [];

  /** Who uses the page, or did until their session ended. */
  name = $state('');

  /** How the session stands. */
  see(session: Session): Session {
    this.session = session;
    if (session.person) this.name = session.person.name;
    return session;
  }

  may(right: Right): boolean {
    return this.#rights.includes(right);
  }

  /** Whether what somebody made may be changed here. */
  made(by: string): boolean {
    return !this.session?.has_accounts || this.role === 'owner' || by === this.name;
  }

  opened(book: Schemas['MyBookShape'] | undefined): void {
    this.#rights = book?.rights ?? [];
    this.role = book?.role ?? null;
  }

  /** Settled once somebody has signed in. */
  signedIn(): Promise<void> {
    this.mustSignIn = true;
    return new Promise((resolve) => this.#waiting.push(resolve));
  }

  /** Somebody signed in: whatever waited goes on. Another person begins anew. */
  take(session: Session): void {
    const was = this.name;
    this.see(session);
    if (!session.person || session.person.wants_code) return;
    if (was && was !== session.person.name) {
      location.reload();
      return;
    }
    this.mustSignIn = false;
    for (const goOn of this.#waiting.splice(0)) goOn();
  }
}

export const me = new Me();
