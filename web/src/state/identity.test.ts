import { identityOf } from './identity.ts';

test('an object keeps its number, and another one of the same contents has its own', () => {
  const [one, other] = [{ broken: 1 }, { broken: 1 }];
  expect(identityOf(one)).toBe(identityOf(one));
  expect(identityOf(other)).not.toBe(identityOf(one));
  expect(identityOf(undefined)).toBeUndefined();
});
