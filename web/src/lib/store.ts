import { useSyncExternalStore } from "react";

/** A small store: one value, changed by functions, read by hooks. */
export class Store<T> {
  private listeners = new Set<() => void>();
  constructor(private value: T) {}

  get = (): T => this.value;

  set(change: Partial<T> | ((value: T) => T)): void {
    this.value = typeof change === "function" ? change(this.value) : { ...this.value, ...change };
    for (const listener of this.listeners) listener();
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
}

export function useStore<T, Part>(store: Store<T>, pick: (value: T) => Part): Part {
  return useSyncExternalStore(store.subscribe, () => pick(store.get()));
}
