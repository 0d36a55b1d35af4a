/** What an orderer decides of a plan's services. */
import { useQuery } from '@tanstack/react-query';
import { type PlanForm, type ServiceForm, servicesOptions } from '../catalogue/catalogue';
import { Row, Select } from '../catalogue/fields';
import { choicesOf } from '../catalogue/offered';

export function Choices({
  plan,
  chosen,
  onChange,
}: {
  plan: PlanForm;
  chosen: Record<string, string>;
  onChange: (choices: Record<string, string>) => void;
}) {
  const services = useQuery(servicesOptions);
  const offered = choicesOf(
    plan,
    (services.data ?? []).map((each) => each.form as ServiceForm),
  );
  if (!offered.length) return null;
  return (
    <Row>
      {offered.map(([key, choice]) => (
        <Select
          key={key}
          label={choice.name}
          value={chosen[key] ?? choice.values[0]}
          width={220}
          options={choice.values}
          onChange={(value) => onChange({ ...chosen, [key]: value })}
        />
      ))}
    </Row>
  );
}
