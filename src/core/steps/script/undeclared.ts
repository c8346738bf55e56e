import type { AnyNode, Identifier, Program } from 'acorn';
import { functions } from '../../language/functions/table.ts';
import { didYouMean } from '../../text/words.ts';
import { OffsetError } from '../offset-error.ts';
import { standardModules } from './standard-modules.ts';
import { childrenOf, namesIn, nodesIn } from './syntax-tree.ts';

/** What is there in every script; a test compares it with the engine. */
export const globals: readonly string[] =
  `AggregateError Array ArrayBuffer BigInt BigInt64Array BigUint64Array Boolean DataView Date Error EvalError
   FinalizationRegistry Float16Array Float32Array Float64Array Function Infinity Int16Array Int32Array Int8Array
   InternalError Iterator JSON Map Math NaN Number Object Promise Proxy RangeError ReferenceError Reflect RegExp Set
   SharedArrayBuffer String Symbol SyntaxError TypeError URIError Uint16Array Uint32Array Uint8Array Uint8ClampedArray
   WeakMap WeakRef WeakSet console crypto decodeURI decodeURIComponent encodeURI encodeURIComponent escape eval
   globalThis isFinite isNaN parseFloat parseInt undefined unescape`.split(/\s+/);

/** Names that scripts of other surroundings have. */
const elsewhere = new Set([
  ...['require', 'module', 'exports', 'process', 'Buffer', 'fetch', 'XMLHttpRequest', 'WebSocket', 'URL'],
  ...['setTimeout', 'setInterval', 'setImmediate', 'queueMicrotask', 'performance', 'window', 'document'],
  ...['TextEncoder', 'TextDecoder', 'structuredClone', 'atob', 'btoa'],
]);

/**
 * Names that a module uses and that nothing in it declares. Where a name is declared does not matter, only that it is: so
 * what is told is wrong for certain.
 */
export function undeclaredIn(program: Program): OffsetError[] {
  const declared = new Set(globals);
  const uses: Identifier[] = [];
  for (const node of nodesIn(program)) for (const name of declaredBy(node)) declared.add(name);
  collectUses(program, uses);
  // What is put there by hand may have any name.
  if (uses.some(({ name }) => name === 'globalThis')) return [];
  const told = new Set<string>();
  return uses.flatMap(({ name, start, end }) => {
    if (declared.has(name) || told.has(name)) return [];
    told.add(name);
    return [new OffsetError(`There is no '${name}' here.`, start, end, remedyFor(name, declared))];
  });
}

function remedyFor(name: string, declared: ReadonlySet<string>): string {
  const from = [...standardModules].find(([, names]) => names?.includes(name))?.[0];
  if (from !== undefined) return `import { ${name} } from '${from}'`;
  if (elsewhere.has(name)) return 'A script has what ECMAScript has, and what it imports.';
  const known = [...declared, ...Object.keys(functions)];
  return (
    didYouMean(name, known) ?? `A value of the page is imported: import { ${name} } from 'mervok:values'`
  );
}

function declaredBy(node: AnyNode): string[] {
  switch (node.type) {
    case 'VariableDeclarator':
      return namesIn(node.id).map(({ name }) => name);
    case 'FunctionDeclaration':
    case 'FunctionExpression':
    case 'ArrowFunctionExpression': {
      const own = node.id ? [node.id.name] : [];
      const always = node.type === 'ArrowFunctionExpression' ? [] : ['arguments'];
      return [...own, ...always, ...node.params.flatMap(each => namesIn(each).map(({ name }) => name))];
    }
    case 'ClassDeclaration':
    case 'ClassExpression':
      return node.id ? [node.id.name] : [];
    case 'CatchClause':
      return node.param ? namesIn(node.param).map(({ name }) => name) : [];
    case 'ImportSpecifier':
    case 'ImportDefaultSpecifier':
    case 'ImportNamespaceSpecifier':
      return [node.local.name];
    default:
      return [];
  }
}

/** Identifiers that stand for a value: no names of members, labels, or what other modules call theirs. */
function collectUses(node: AnyNode, into: Identifier[]): void {
  switch (node.type) {
    case 'Identifier':
      into.push(node);
      return;
    case 'MemberExpression':
      collectUses(node.object, into);
      if (node.computed) collectUses(node.property, into);
      return;
    case 'Property':
    case 'MethodDefinition':
    case 'PropertyDefinition':
      if (node.computed) collectUses(node.key, into);
      if (node.value) collectUses(node.value, into);
      return;
    case 'UnaryExpression':
      // It may be asked for, whether it is there or not.
      if (node.operator !== 'typeof' || node.argument.type !== 'Identifier') collectUses(node.argument, into);
      return;
    case 'LabeledStatement':
      collectUses(node.body, into);
      return;
    case 'BreakStatement':
    case 'ContinueStatement':
    case 'MetaProperty':
    case 'ImportDeclaration':
    case 'ExportAllDeclaration':
      return;
    case 'ExportNamedDeclaration':
      if (node.declaration) collectUses(node.declaration, into);
      return;
    default:
      for (const child of childrenOf(node)) collectUses(child, into);
  }
}
