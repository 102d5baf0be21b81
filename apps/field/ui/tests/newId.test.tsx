import { act, renderHook } from '@testing-library/react-native';
import { useNewId } from '../../data/newId';

test('an id stays over drawings until what it was for is kept, or something else is asked for', () => {
  const { result, rerender } = renderHook(({ of }: { of: string }) => useNewId(of), { initialProps: { of: 'take 1' } });
  const [first] = result.current;
  rerender({ of: 'take 1' });
  expect(result.current[0]).toBe(first);
  rerender({ of: 'take 2' });
  const [second] = result.current;
  expect(second).not.toBe(first);
  rerender({ of: 'take 2' });
  expect(result.current[0]).toBe(second);
  act(() => result.current[1]());
  expect(result.current[0]).not.toBe(second);
});
