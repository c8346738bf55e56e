import type { AnyNode, Program } from 'acorn';
import { OffsetError } from '../offset-error.ts';
import { type ImportedName, type Named, nameOf, namesIn, nodesIn } from './syntax-tree.ts';
import { undeclaredIn } from './undeclared.ts';

// What of a module of JavaScript can be known without carrying it out.

type Library = typeof import('./parser-library.ts');

let library: Library | undefined;

/** To be awaited before any script is read. */
export async function loadScriptParser(): Promise<void> {
  library ??= await import('./parser-library.ts');
}

/** Everything that a module takes from another one. */
export interface Import {
  readonly from: string;
  readonly start: number;
  readonly end: number;
  readonly names: readonly ImportedName[];
  /** By `* as`, or by a default import. */
  readonly whole?: 'namespace' | 'default';
  /** Whether it only passes on what it takes. */
  readonly passesOn: boolean;
}

export interface ExportedName extends ImportedName {
  /** What can be no value: a function, a class. */
  readonly kind?: 'function' | 'class';
}

export interface ReadModule {
  /** As the engine is handed it. */
  readonly text: string;
  readonly imports: readonly Import[];
  readonly exports: readonly ExportedName[];
  /** What is wrong with it that the engine would not say, or not where. */
  readonly errors: readonly OffsetError[];
}

/** Reads a module. Throws OffsetError where it is no JavaScript. */
export function readModule(text: string): ReadModule {
  const program = parse(text);
  const imports: Import[] = [];
  const exports: ExportedName[] = [];
  for (const node of program.body) {
    switch (node.type) {
      case 'ImportDeclaration':
        imports.push(importOf(node, node.specifiers, false));
        break;
      case 'ExportAllDeclaration':
        imports.push({ ...sourceOf(node.source), names: [], whole: 'namespace', passesOn: true });
        break;
      case 'ExportDefaultDeclaration':
        exports.push({ name: 'default', start: node.start, end: node.start + 'export default'.length });
        break;
      case 'ExportNamedDeclaration':
        if (node.source) imports.push(importOf({ ...node, source: node.source }, node.specifiers, true));
        exports.push(...node.specifiers.map(({ exported }) => nameOf(exported)));
        if (node.declaration) exports.push(...declaredIn(node.declaration));
        break;
      default:
    }
  }
  return {
    text: withPlainExports(text, program),
    imports,
    exports,
    errors: [...errorsIn(program), ...undeclaredIn(program)],
  };
}

/** The engine does not export all names that a pattern declares: they are listed. No line or column is changed by that. */
function withPlainExports(text: string, { body }: Program): string {
  let changed = text;
  for (const node of body) {
    if (node.type !== 'ExportNamedDeclaration' || node.declaration?.type !== 'VariableDeclaration') continue;
    if (node.declaration.declarations.every(({ id }) => id.type === 'Identifier')) continue;
    const names = declaredIn(node.declaration).map(({ name }) => name);
    const end = node.start + 'export'.length;
    changed = `${changed.slice(0, node.start)}      ${changed.slice(end)}\nexport { ${names.join(', ')} };`;
  }
  return changed;
}

function parse(text: string): Program {
  if (!library) throw new TypeError('loadScriptParser() comes before readModule().');
  try {
    return library.parse(text, { ecmaVersion: 2025, sourceType: 'module' });
  } catch (error) {
    const { pos, message } = error as SyntaxError & { pos?: number };
    if (pos === undefined) throw error;
    const at = Math.min(pos, Math.max(0, text.trimEnd().length - 1));
    throw new OffsetError(`This is no JavaScript: ${message.replace(/ \(\d+:\d+\)$/, '')}.`, at, at + 1);
  }
}

function sourceOf({ value, start, end }: { value?: unknown; start: number; end: number }) {
  return { from: String(value), start, end };
}

type Specifier = { readonly type: string; readonly imported?: Named; readonly local: Named };

function importOf(
  { source }: { readonly source: { value?: unknown; start: number; end: number } },
  specifiers: readonly Specifier[],
  passesOn: boolean,
): Import {
  const whole = specifiers.find(({ type }) => type !== 'ImportSpecifier' && type !== 'ExportSpecifier');
  const names = specifiers.flatMap(({ type, imported, local }) =>
    type === 'ImportSpecifier' ? [nameOf(imported!)] : type === 'ExportSpecifier' ? [nameOf(local)] : [],
  );
  return {
    ...sourceOf(source),
    names,
    ...(whole && { whole: whole.type === 'ImportDefaultSpecifier' ? 'default' : 'namespace' }),
    passesOn,
  };
}

function declaredIn(declaration: AnyNode): ExportedName[] {
  if (declaration.type === 'VariableDeclaration')
    return declaration.declarations.flatMap(({ id, init }) => {
      const kind = init && functionKind(init.type);
      return namesIn(id).map(name => ({ ...name, ...(kind && { kind }) }));
    });
  if (declaration.type !== 'FunctionDeclaration' && declaration.type !== 'ClassDeclaration') return [];
  const kind = declaration.type === 'ClassDeclaration' ? 'class' : 'function';
  return declaration.id ? [{ ...nameOf(declaration.id), kind }] : [];
}

function functionKind(type: string): ExportedName['kind'] {
  if (type === 'ClassExpression') return 'class';
  return type === 'ArrowFunctionExpression' || type === 'FunctionExpression' ? 'function' : undefined;
}

/**
 * Modules that are loaded while it runs; and work that nobody waits for: the script would have ended before it is done, and
 * a check in it would never be made.
 */
function errorsIn(program: Program): OffsetError[] {
  const errors: OffsetError[] = [];
  const asynchronous = new Set<string>();
  const nodes = [...nodesIn(program)];
  for (const node of nodes) {
    if (node.type === 'FunctionDeclaration' && node.async && node.id) asynchronous.add(node.id.name);
    if (node.type === 'VariableDeclarator' && node.id.type === 'Identifier' && isAsync(node.init))
      asynchronous.add(node.id.name);
  }
  for (const node of nodes) {
    if (node.type === 'ImportExpression')
      errors.push(
        new OffsetError(
          'import() loads nothing here.',
          node.start,
          node.start + 'import'.length,
          "Modules are named at the beginning: import { season } from './lib/seasons.js'",
        ),
      );
    if (node.type !== 'ExpressionStatement') continue;
    const forgotten = forgottenIn(node.expression, asynchronous);
    if (forgotten)
      errors.push(
        new OffsetError(
          'Nobody waits for what this does, so the script may end before it is done.',
          forgotten.start,
          forgotten.end,
          'Write await before it; for a list: for (const item of list) await …',
        ),
      );
  }
  return errors;
}

function isAsync(node: AnyNode | null | undefined): boolean {
  return (
    (node?.type === 'ArrowFunctionExpression' || node?.type === 'FunctionExpression') && node.async === true
  );
}

/** A call of what is asynchronous whose result is dropped, or one that such a function is handed to. */
function forgottenIn(expression: AnyNode, asynchronous: ReadonlySet<string>): AnyNode | undefined {
  const called = expression.type === 'UnaryExpression' ? expression.argument : expression;
  if (called.type !== 'CallExpression') return undefined;
  const { callee } = called;
  if (isAsync(callee)) return called;
  if (callee.type === 'Identifier' && asynchronous.has(callee.name)) return called;
  const handed = called.arguments.some(
    each => isAsync(each) || (each.type === 'Identifier' && asynchronous.has(each.name)),
  );
  if (handed && callee.type === 'MemberExpression') return called;
  // then() and its kin give a promise again.
  const isChain =
    callee.type === 'MemberExpression' &&
    callee.property.type === 'Identifier' &&
    ['then', 'finally', 'catch'].includes(callee.property.name);
  return isChain ? called : undefined;
}
