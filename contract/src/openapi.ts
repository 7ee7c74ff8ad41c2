import * as z from 'zod';
import type { AnyEndpoint } from './endpoint.ts';
import { NUMBERED } from './endpoint.ts';
import { ENDPOINTS } from './endpoints.ts';
import { errorSchema } from './events.ts';
import coreSchemas from './coreSchemas.generated.json' with { type: 'json' };
import { SCHEMAS, TYPED } from './ofCore.ts';

/** Of the interface: it changes where an endpoint no longer takes or gives what it did. */
const INTERFACE_VERSION = '1';

type Json = Record<string, unknown>;

/**
 * Schemas that others refer to, by name: what each schema defines of its own is named after where it stands.
 */
type Components = Record<string, unknown>;

/**
 * A schema in JSON Schema 2020-12; what has no form there is any value, with its description. References of
 * an OpenAPI document are from its root: what a schema defines moves to `components`, named after `at`.
 */
function jsonSchema(schema: z.ZodType, io: 'input' | 'output', at: string, components: Components): Json {
  const made = z.toJSONSchema(schema, {
    io,
    unrepresentable: 'any',
    override: ({ zodSchema, jsonSchema: node }) => {
      const standIn = SCHEMAS.get(zodSchema);
      if (standIn) Object.assign(node, jsonSchema(standIn, io, `${at}.model`, components));
      const typed = TYPED.get(zodSchema);
      if (typed !== undefined) Object.assign(node, coreRoots[typed]);
    },
  });
  const moved = JSON.parse(JSON.stringify(made), (key, value: unknown) => {
    // What is closed by itself cannot stand beside others.
    if (key === 'allOf') return (value as Json[]).map(({ additionalProperties: _, ...part }) => part);
    return key === '$ref' && typeof value === 'string' && (value === '#' || value.startsWith('#/$defs/'))
      ? `#/components/schemas/${at}${value.slice('#/$defs'.length).replace('/', '.')}`
      : value;
  }) as Json;
  const { $schema: _, $defs = {}, ...shape } = moved;
  for (const [name, defined] of Object.entries($defs as Json)) components[`${at}.${name}`] = defined;
  if (JSON.stringify(shape).includes(`"#/components/schemas/${at}"`)) components[at] = shape;
  return shape;
}

/** A schema that was made from a type of the core, with its references from the root of the document. */
const fromRoot = (schema: Json): Json =>
  JSON.parse(JSON.stringify(schema).replaceAll('"#/$defs/', '"#/components/schemas/core.')) as Json;
const coreRoots = fromRoot(coreSchemas.roots) as Readonly<Record<string, Json>>;

const isNumbered = (name: string): boolean => (NUMBERED as readonly string[]).includes(name);

const content = (type: string, schema: Json): Json => ({ content: { [type]: { schema } } });

function parameters({ path, search }: AnyEndpoint, at: string, components: Components): Json[] {
  const inPath = [...path.matchAll(/:(\w+)/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: isNumbered(name!) ? 'integer' : 'string' },
  }));
  if (!search) return inPath;
  const { properties = {}, required = [] } = jsonSchema(search, 'input', `${at}.search`, components) as {
    properties?: Json;
    required?: string[];
  };
  return [
    ...inPath,
    ...Object.entries(properties).map(([name, schema]) => ({
      name,
      in: 'query',
      required: required.includes(name),
      schema,
    })),
  ];
}

function operation(name: string, one: AnyEndpoint, components: Components): Json {
  const answer = jsonSchema(one.answer, 'output', `${name}.answer`, components);
  const type = { json: 'application/json', file: 'application/octet-stream', events: 'text/event-stream' }[
    one.gives
  ];
  const body =
    one.sends === 'bytes'
      ? { requestBody: { required: true, ...content('application/octet-stream', {}) } }
      : one.request
        ? {
            requestBody: {
              required: true,
              ...content('application/json', jsonSchema(one.request, 'input', `${name}.request`, components)),
            },
          }
        : {};
  return {
    operationId: name,
    summary: one.says,
    tags: [name.split('.')[0]],
    parameters: parameters(one, name, components),
    ...body,
    responses: {
      200: { description: 'done', ...content(type, answer) },
      default: {
        description: 'refused',
        ...content('application/json', jsonSchema(errorSchema, 'output', 'error', components)),
      },
    },
  };
}

/** The interface of the server as an OpenAPI 3.1 document, made from the endpoints. */
export function openApi(): Json {
  const paths: Record<string, Json> = {};
  const schemas: Components = Object.fromEntries(
    Object.entries(fromRoot(coreSchemas.$defs)).map(([name, schema]) => [`core.${name}`, schema]),
  );
  for (const [name, one] of ENDPOINTS) {
    const path = one.path.replace(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[one.method.toLowerCase()] = operation(name, one, schemas);
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Crease', version: INTERFACE_VERSION },
    servers: [{ url: '/api' }],
    paths,
    components: { schemas },
  };
}
