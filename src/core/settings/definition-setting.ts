import { resolvePath } from '../text/paths.ts';
import { rangeOf } from '../yaml/yaml-reader.ts';
import type { Setting } from './setting.ts';

/** The definition of the API that exchanges are held to. */
export const definition: Setting = {
  key: 'definition',
  reach: 'every',
  schema: ({ z }) => z.union([z.string(), z.strictObject({ file: z.string(), at: z.optional(z.string()) })]),
  keys: { definition: ['file', 'at'] },
  hint: 'A definition is a file of OpenAPI: definition: api/harbour.yaml, or { file: api/harbour.yaml, at: "{harbour}" }',
  innerHint: 'It has a file, and the address that its paths count from: at: "{harbour}/v1"',
  docs: 'the [definition of the API](#definitions) (OpenAPI, relative to the file that names it) that every exchange is held to, or `{ file, at }`, where its paths do not count from `base`; `null` takes it away',
  read(node, reader) {
    if (reader.isNull(node)) return { definition: null };
    const map = reader.libraries.isMap(node) ? node : undefined;
    const at = map && reader.node(map, 'at');
    const written = (map ? reader.scalarText(map, 'file') : reader.text(node)) ?? '';
    return {
      definition: {
        written,
        file: resolvePath('', reader.pathBeside(written)),
        ...(at && { at: reader.template(at, 'address') }),
        range: rangeOf(node, reader.excerpt),
      },
    };
  },
  merge(effective, level) {
    if (level.definition === null) delete effective.definition;
    else if (level.definition !== undefined) effective.definition = { definition: level.definition, level };
  },
};
