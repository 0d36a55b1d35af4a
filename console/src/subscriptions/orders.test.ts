/** Orders and what goes through at once, in words. */
import { expect, it } from 'vitest';
import { policyWords } from './OrderPolicies';
import { type Order, addsWords, becameOf } from './orders';

const order = (values: Partial<Order>) =>
  ({
    amount: '46.8',
    currency: 'EUR',
    state: 'waiting',
    seller_name: 'Tarnwick Cloud',
    what: 'Barn Moor',
    ...values,
  }) as Order;

it.each([
  ['46.8', '46.80 EUR a month'],
  ['-1250', '1 250.00 EUR a month less'],
  ['0', ''],
  ['0.000000000000', ''],
])('says what %s more is', (amount, words) => {
  expect(addsWords(order({ amount })).replace(/\s/g, ' ')).toBe(words);
});

it('says what became of it', () => {
  expect(becameOf(order({ waits_for: 'own' }))).toBe(
    'It waits for another administrator to approve 46.80 EUR a month.',
  );
  expect(becameOf(order({}))).toBe('It waits for Tarnwick Cloud to approve 46.80 EUR a month.');
  expect(becameOf(order({ state: 'done' }))).toBe('Done: Barn Moor.');
});

it('says what goes through at once', () => {
  const words = (approver: 'own' | 'seller', amount: string | null) =>
    policyWords({ approver, currency: 'EUR', amount });
  expect([null, '0', '500'].map((amount) => words('seller', amount))).toEqual([
    'Customers billed in EUR: any amount',
    'Customers billed in EUR: nothing; every order waits for you',
    'Customers billed in EUR: up to 500.00 EUR more a month',
  ]);
  expect(words('own', '0')).toBe('Your own people: nothing; every order waits for an administrator');
});
