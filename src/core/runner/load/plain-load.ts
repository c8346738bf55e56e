import type { LoadOptions, RunOptions } from '../run-options.ts';

/** Users with rounds of their own as a load, of which every line is told: what several threads share is one. */
export function plainLoad({
  users = 1,
  rounds,
  lasting,
}: Pick<RunOptions, 'users' | 'rounds' | 'lasting'>): LoadOptions {
  return {
    phases: [
      {
        number: 1,
        text: '',
        unit: 'users',
        from: users,
        to: users,
        lasting: lasting ?? Number.POSITIVE_INFINITY,
      },
    ],
    stops: [],
    mostUsers: users,
    sample: 1,
    rounds: rounds ?? (lasting === undefined ? 1 : undefined),
  };
}
