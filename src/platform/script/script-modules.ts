import { isOfCollection } from '../../core/steps/script/read-script.ts';
import type { OutgoingScript } from '../../core/steps/script/script-port.ts';
import { standardModules } from '../../core/steps/script/standard-modules.ts';
import { resolvePath } from '../../core/text/paths.ts';
import checks from './prelude/checks.prelude.js';
import exchange from './prelude/exchange.prelude.js';
import functions from './prelude/functions.prelude.js';
import inner from './prelude/inner.prelude.js';

type Refused = { readonly error: Error };

/** Modules of Mervok that are the same for every script. */
const always: ReadonlyMap<string, string> = new Map([
  ['mervok:inner', inner],
  ['mervok:each-exchange', exchange],
  ['mervok:each-function', functions],
  ['mervok:checks', checks],
]);

/** What a script can import. */
export class ScriptModules {
  /** Once anything of the script runs, everything that it needs is there. */
  #closed = false;

  /** @param script none while what is the same for all of them is loaded */
  constructor(readonly script?: OutgoingScript) {}

  /** What loads that. */
  get entry(): string {
    return [...always.keys()].map(name => `import '${name}';`).join(' ');
  }

  close(): void {
    this.#closed = true;
  }

  nameOf(from: string, name: string): string | Refused {
    if (isOfCollection(name)) return resolvePath(from.replace(/[^/]*$/, ''), name);
    const isInner = name.startsWith('mervok:') && !standardModules.has(name);
    return isInner && !from.startsWith('mervok:') ? noModule(name) : name;
  }

  load(name: string): string | Refused {
    const { script } = this;
    // The engine asks for what it was refused a name for, too.
    if (this.#closed)
      return { error: new Error('import() loads nothing here: modules are named at the beginning') };
    const known = always.get(name);
    if (known !== undefined) return known;
    if (!script) return noModule(name);
    switch (name) {
      case script.file:
        return script.text;
      case 'mervok:begin':
        return `import 'mervok:close'; import * as script from ${JSON.stringify(script.file)}; export { script };`;
      case 'mervok:close':
        return "import { ask } from 'mervok:inner'; ask('begin');";
      case 'mervok:exchange':
        return exchangeModule();
      case 'mervok:values':
        return valuesModule(script);
      case 'mervok:functions':
        return functionsModule(script);
      default:
        return script.modules.get(name) ?? noModule(name);
    }
  }
}

function valuesModule({ values }: OutgoingScript): string {
  const names = Object.keys(JSON.parse(values.json) as object).map(name => JSON.stringify(name));
  return [
    "import { ask, unpack } from 'mervok:inner'; const given = unpack(ask('values'));",
    ...names.map((name, at) => `const v${at} = given[${name}];`),
    `export { ${names.map((name, at) => `v${at} as ${name}`).join(', ')} };`,
  ].join('\n');
}

function exchangeModule(): string {
  const names = standardModules.get('mervok:exchange')!;
  return [
    "import { read } from 'mervok:each-exchange';",
    ...names.map(name => `export const ${name} = read('${name}');`),
  ].join('\n');
}

function functionsModule({ functions: names }: OutgoingScript): string {
  return [
    "import { functionOf } from 'mervok:each-function';",
    ...names.map((name, at) => `const f${at} = functionOf('${name}');`),
    `export { ${names.map((name, at) => `f${at} as ${name}`).join(', ')} };`,
  ].join('\n');
}

function noModule(name: string): Refused {
  return { error: new Error(`There is no module '${name}'`) };
}
