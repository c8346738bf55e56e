import type { Plan } from '../core/analysis/plan.ts';
import type { Holder } from '../core/definition/hold/held-exchange.ts';
import type { ReceivedRequest } from '../core/stand-in/received-request.ts';
import type { StandInDefinition } from '../core/stand-in/stand-in.ts';
import { HttpStep } from '../core/steps/http/http-step.ts';
import { originIn } from '../core/text/hosts.ts';

/** A definition that pages name, and the address that its paths count from. */
interface Named {
  readonly holder: Holder;
  readonly at: string;
}

/** What the definitions say that a plan is held to; nothing where there is none. */
export function mockDefinition(
  plan: Plan,
  base: { readonly address: string } | undefined,
): StandInDefinition | undefined {
  const named = new Map<string, Named>();
  for (const { cases } of plan.pages)
    for (const { steps } of cases)
      for (const step of steps) {
        const definition = step instanceof HttpStep ? step.definition : undefined;
        if (definition && base && !named.has(definition.file))
          named.set(definition.file, { holder: definition.holder, at: base.address });
      }
  const all = [...named.values()];
  if (all.length === 0) return undefined;
  return {
    faults(request) {
      for (const { holder, at } of all) {
        const faults = holder.faults(asSent(request, at), at);
        if (faults)
          return faults.map(
            ({ at: place, expected, found }) => `${place}: ${expected} is wanted, not ${found}.`,
          );
      }
      return undefined;
    },
    sample(request) {
      for (const { holder, at } of all) {
        const sample = holder.sample(asSent(request, at), at);
        if (!sample) continue;
        const { status, contentType, text, operation } = sample;
        return {
          status,
          reason: '',
          headers: contentType === undefined ? [] : [['Content-Type', contentType]],
          body: text === undefined ? undefined : { text },
          from: `schema of ${operation}`,
        };
      }
      return undefined;
    },
  };
}

function asSent(request: ReceivedRequest, at: string): Parameters<Holder['faults']>[0] {
  const { text, fields } = request.body;
  return {
    method: request.method,
    url: (originIn(at) ?? '') + request.target,
    sent: {
      headers: request.headers,
      hasBody: text !== '',
      ...(fields === undefined && text !== '' && { body: text }),
    },
  };
}
