import { expect, test } from 'vitest';
import { leadOf } from './catalogue';

test('a card says for whom it is, to those who may know', () => {
  const card = { seller: 'bluefern', currency: 'EUR', buyers: 'any' };
  expect(leadOf(card, 'bluefern')).toBe('Your prices, in EUR, for any buyer.');
  expect(leadOf({ ...card, buyers: 'resellers' }, 'bluefern')).toBe('Your prices, in EUR, for resellers.');
  expect(leadOf({ ...card, buyers: '' }, 'gannet')).toBe('Prices of bluefern, in EUR.');
});
