import { Store } from "./store";

const SLOW_MS = 1000;

/** How many calls of the server take longer than usual just now. */
class CallStore extends Store<{ slow: number }> {
  /** One begins; what is returned is called when it has ended. */
  begun(): () => void {
    let told = false;
    const timer = setTimeout(() => {
      told = true;
      this.set((now) => ({ slow: now.slow + 1 }));
    }, SLOW_MS);
    return () => {
      clearTimeout(timer);
      if (told) this.set((now) => ({ slow: now.slow - 1 }));
    };
  }
}

export const calls = new CallStore({ slow: 0 });
