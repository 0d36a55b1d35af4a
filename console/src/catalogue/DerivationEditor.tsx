/** How a rate card follows another. */
import { useQuery } from '@tanstack/react-query';
import { type Derived, type OnTop, type RateCardForm, rateCardsOptions } from './catalogue';
import { Add, change, Group, Line, Remove, Row, withItem, withoutItem } from './fields';

/** How a card follows another: what is put on top of the base's prices, and to which step they are rounded. */
export function Derivation({
  form,
  onChange,
}: {
  form: RateCardForm;
  onChange: (form: RateCardForm) => void;
}) {
  const cards = useQuery(rateCardsOptions);
  const derived = form.derived;
  if (!derived)
    return <Add what="a base card to follow" onClick={() => onChange({ ...form, derived: { base: '' } })} />;
  const set = (next: Derived) => onChange({ ...form, derived: next });
  const top = (before: OnTop | undefined, percent: string): OnTop => change(before ?? {}, 'percent', percent);
  const services = Object.entries(derived.services ?? {});
  return (
    <Group title="Follows a base card, its later versions too">
      <Row>
        <Line
          label="Base card"
          value={derived.base}
          options={(cards.data ?? []).map((card) => `${card.seller}/${card.slug}`)}
          onChange={(base) => set({ ...derived, base })}
          width={260}
        />
        <Line
          label="Percent on top"
          value={derived['on-top']?.percent}
          onChange={(percent) => set(change(derived, 'on-top', top(derived['on-top'], percent)))}
          width={130}
        />
        <Line
          label="Price step"
          value={derived['price-step']}
          onChange={(step) => set(change(derived, 'price-step', step))}
          width={120}
        />
        <Line
          label="Notice to buyers, days"
          value={derived['notice-days']}
          onChange={(days) => set(change(derived, 'notice-days', days))}
          width={170}
        />
        <Remove what="base card" onClick={() => onChange(change(form, 'derived', undefined))} />
      </Row>
      {services.map(([service, on], index) => (
        <Row key={index}>
          <Line
            label="Service"
            value={service}
            width={200}
            onChange={(next) =>
              set(
                change(
                  derived,
                  'services',
                  Object.fromEntries(withItem(services, index, [next, on] as [string, OnTop])),
                ),
              )
            }
          />
          <Line
            label="Percent on its rates"
            value={on.percent}
            width={150}
            onChange={(percent) =>
              set(
                change(
                  derived,
                  'services',
                  Object.fromEntries(
                    withItem(services, index, [service, { ...on, percent }] as [string, OnTop]),
                  ),
                ),
              )
            }
          />
          <Remove
            what={`service ${service}`}
            onClick={() => set(change(derived, 'services', Object.fromEntries(withoutItem(services, index))))}
          />
        </Row>
      ))}
      <Add
        what="service with another percentage"
        onClick={() => set({ ...derived, services: { ...derived.services, '': { percent: '' } } })}
      />
    </Group>
  );
}
