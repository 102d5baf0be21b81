import { ValueStore } from '../valueStore';

test('who listens hears of every change until it stops listening; the others do not', () => {
  const store = new ValueStore(1);
  const [a, b] = [jest.fn(), jest.fn()];
  const stop = store.subscribe(a);
  store.subscribe(b);
  store.change((v) => v + 1);
  expect(store.get()).toBe(2);
  stop();
  store.change((v) => 10 * v);
  expect(store.get()).toBe(20);
  expect([a.mock.calls.length, b.mock.calls.length]).toEqual([1, 2]);
});

test('a listener that reads while it is told reads the new value', () => {
  const store = new ValueStore('old');
  const heard: string[] = [];
  store.subscribe(() => heard.push(store.get()));
  store.change(() => 'new');
  expect(heard).toEqual(['new']);
});
