/** What the services of a plan have: meters to be used, choices to be made. */
import type { Meter, PlanForm, ServiceForm } from './catalogue';

export interface Metered {
  key: string;
  service: ServiceForm;
  meter: Meter;
}

const servicesOf = (plan: PlanForm, services: ServiceForm[]): ServiceForm[] =>
  services.filter((service) => plan.services.includes(service.service));

export const metersOf = (plan: PlanForm, services: ServiceForm[]): Metered[] =>
  servicesOf(plan, services).flatMap((service) =>
    Object.entries(service.meters).map(([slug, meter]) => ({
      key: `${service.service}/${slug}`,
      service,
      meter,
    })),
  );

/** What an orderer decides, by service and choice. */
export const choicesOf = (plan: PlanForm, services: ServiceForm[]) =>
  servicesOf(plan, services).flatMap((service) =>
    Object.entries(service.choices ?? {}).map(
      ([slug, choice]) => [`${service.service}/${slug}`, choice] as const,
    ),
  );
