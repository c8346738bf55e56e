import type { ApiDefinition, Operation, SecurityRequirement } from './api.ts';

/** What an operation wants: its own requirements, else those of the whole. */
export function securityOf(
  { security }: ApiDefinition,
  operation: Operation,
): readonly SecurityRequirement[] {
  return operation.security ?? security ?? [];
}
