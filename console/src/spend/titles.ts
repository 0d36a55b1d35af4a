/** What dimensions of spend are called to somebody. */
import { useQuery } from '@tanstack/react-query';
import { levelsOptions } from '../organisations/projects';
import { DIMENSIONS, type Dimension, dimensionsOf } from './spending';

/** Levels of a tree of projects are called as their organisation calls them. */
export function useTitles(organisation: string): (dimension: Dimension) => string {
  const levels = useQuery(levelsOptions(organisation));
  const named = new Map(dimensionsOf(true, levels.data ?? []));
  return (dimension) => named.get(dimension) ?? DIMENSIONS[dimension];
}
