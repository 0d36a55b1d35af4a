/** Whom a rate card is for: everybody, a kind of buyer, those of a rule, or only where a subscription names it. */
import { type Buyers, whomWords } from './catalogue';
import { change, Row, Select, Words } from './fields';

const RULE = 'rule';

export function BuyersEditor({
  value,
  onChange,
}: {
  value: Buyers | undefined;
  onChange: (value: Buyers) => void;
}) {
  const rule = typeof value === 'object' ? value : null;
  const field = (name: 'organisations' | 'countries' | 'segments') => (words: string[]) =>
    onChange(change(rule ?? {}, name, words));
  return (
    <Row>
      <Select
        label="For"
        value={rule ? RULE : ((value as string | undefined) ?? 'any')}
        width={210}
        onChange={(next) => onChange(next === RULE ? { type: 'tenants' } : next)}
        options={[
          ['any', 'everybody'],
          ['tenants', 'all tenants'],
          ['resellers', 'all resellers'],
          ['own-use', 'own use, at cost'],
          ['named', 'only where named'],
          [RULE, 'those of a rule'],
        ]}
      />
      {rule && (
        <>
          <Select
            label="Kind"
            value={rule.type ?? ''}
            width={130}
            onChange={(type) => onChange(change(rule, 'type', type))}
            options={[['', 'any'], 'tenants', 'resellers']}
          />
          <Words label="Countries" value={rule.countries} onChange={field('countries')} width={140} />
          <Words label="Segments" value={rule.segments} onChange={field('segments')} width={180} />
          <Words
            label="or only these organisations"
            value={rule.organisations}
            onChange={field('organisations')}
            width={230}
            help={`for ${whomWords(rule)}`}
          />
        </>
      )}
    </Row>
  );
}
