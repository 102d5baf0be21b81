import { useSyncExternalStore } from 'react';

/** A value that changes often: who shows it listens to it alone, and nothing else renders. */
export class ValueStore<T> {
  private readonly listeners = new Set<() => void>();

  constructor(private value: T) {}

  readonly get = (): T => this.value;
  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  readonly change = (to: (value: T) => T): void => this.set(to(this.value));

  protected set(value: T): void {
    this.value = value;
    for (const listener of this.listeners) listener();
  }
}

export const useValue = <T>(store: ValueStore<T>): T => useSyncExternalStore(store.subscribe, store.get);

/** Something of a value, as it is now; renders when that changes. */
export const useOf = <T, S>(store: ValueStore<T>, of: (value: T) => S): S =>
  useSyncExternalStore(store.subscribe, () => of(store.get()));
