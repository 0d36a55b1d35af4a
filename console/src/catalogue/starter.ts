/** A small catalogue to begin with and to adapt: two services, a plan with two tiers, a rate card, an offer. */
import type { Kind } from './unpublishedChanges';

export interface StarterForm {
  kind: Kind;
  slug: string;
  form: Record<string, unknown>;
}

export const starter = (currency: string, startsOn: string): StarterForm[] => [
  {
    kind: 'service',
    slug: 'machines',
    form: {
      service: 'machines',
      name: 'Machines',
      category: 'Compute',
      subcategory: 'Virtual Machines',
      meters: {
        processors: {
          name: 'Processors',
          unit: 'vCPU-second',
          counted: 'vCPU',
          combine: 'level',
          measure: 'processors',
        },
        memory: { name: 'Memory', unit: 'byte-second', combine: 'level' },
      },
    },
  },
  {
    kind: 'service',
    slug: 'disks',
    form: {
      service: 'disks',
      name: 'Disks',
      category: 'Storage',
      subcategory: 'Block Storage',
      meters: { capacity: { name: 'Capacity', unit: 'byte-second', combine: 'level', measure: 'storage' } },
    },
  },
  {
    kind: 'plan',
    slug: 'first-acre',
    form: {
      plan: 'first-acre',
      name: 'First Acre',
      services: ['machines', 'disks'],
      tiers: [
        { tier: 'low', name: 'Low', description: 'For trying things out.' },
        {
          tier: 'high',
          name: 'High',
          description: 'For what has to answer.',
          levels: { 'response-time': '4 hour' },
        },
      ],
    },
  },
  {
    kind: 'rate-card',
    slug: 'first-prices',
    form: {
      'rate-card': 'first-prices',
      name: 'First prices',
      for: 'any',
      currency,
      'starts-on': startsOn,
      rates: [
        { rate: 'processors', meter: 'machines/processors', per: 'vCPU-hour', price: '0.02' },
        { rate: 'memory', meter: 'machines/memory', per: 'GiB-hour', price: '0.005' },
        { rate: 'capacity', meter: 'disks/capacity', per: 'GiB-month730', price: '0.08' },
        { rate: 'low', fee: 'first-acre/low', every: 'month', price: '10' },
        { rate: 'high', fee: 'first-acre/high', every: 'month', price: '60' },
      ],
    },
  },
  { kind: 'offer', slug: 'first-acre', form: { offer: 'first-acre', to: 'all', recommended: 'low' } },
];
