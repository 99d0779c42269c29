/** Who works here, as they call themselves: kept by this browser, sent with what they do. */
const KEY = 'goldthread-worker';

class Worker {
  #name = $state(localStorage.getItem(KEY) ?? '');

  get name(): string {
    return this.#name;
  }

  set name(name: string) {
    this.#name = name;
    localStorage.setItem(KEY, name);
  }
}

export const worker = new Worker();
