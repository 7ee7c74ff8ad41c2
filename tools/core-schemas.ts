// Writes JSON Schemas of the types that the core answers with, for the OpenAPI document: of each
// `ofCore<T>(says)` of the contract, the schema of `T` as JSON has it. `--check` writes nothing and ends with
// 1 where the file is not what the types say.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

type Json = Record<string, unknown>;

const FOLDER = 'contract/src';
const FILE = join(FOLDER, 'coreSchemas.generated.json');

const { config } = ts.readConfigFile('tsconfig.json', (file) => ts.sys.readFile(file));
const { options } = ts.parseJsonConfigFileContent(config, ts.sys, process.cwd());
const files = readdirSync(FOLDER)
  .filter((name) => name.endsWith('.ts') && !name.endsWith('.test.ts'))
  .sort()
  .map((name) => join(FOLDER, name));
const program = ts.createProgram(files, { ...options, noEmit: true });
const checker = program.getTypeChecker();

/** Schemas that have a name, and those that are being made. */
const defined = new Map<string, Json>();
const names = new Map<ts.Type, string>();
const open = new Set<ts.Type>();

/** The name under which a type is defined once: that of its declaration, told apart where two share one. */
function nameOf(type: ts.Type): string | undefined {
  const known = names.get(type);
  if (known !== undefined) return known;
  const symbol = type.aliasSymbol ?? type.getSymbol();
  const isGeneric = (type.aliasTypeArguments ?? []).length > 0;
  if (!symbol || isGeneric || symbol.name.startsWith('__') || checker.isArrayLikeType(type)) return undefined;
  let name = symbol.name;
  for (let n = 2; [...names.values()].includes(name); n++) name = `${symbol.name}${n}`;
  names.set(type, name);
  return name;
}

// Types that come from schemas have no name of their own: they have that under which they are exported.
for (const module of ['core/src/model/index.ts', 'core/src/edit/index.ts']) {
  const exported = checker.getExportsOfModule(checker.getSymbolAtLocation(program.getSourceFile(module)!)!);
  for (const one of exported) {
    const symbol = one.flags & ts.SymbolFlags.Alias ? checker.getAliasedSymbol(one) : one;
    if (!(symbol.flags & ts.SymbolFlags.TypeAlias)) continue;
    const type = checker.getDeclaredTypeOfSymbol(symbol);
    const isPlain = (type.flags & (ts.TypeFlags.Object | ts.TypeFlags.Union)) === 0;
    if (!isPlain && !names.has(type)) names.set(type, one.name);
  }
}

const says = (symbol: ts.Symbol): Json => {
  const text = ts.displayPartsToString(symbol.getDocumentationComment(checker)).replace(/\s+/g, ' ').trim();
  return text === '' ? {} : { description: text };
};

/** The schema of a type in JSON: what is undefined is left out there. */
function schemaOf(type: ts.Type): Json {
  if (type.flags & (ts.TypeFlags.Any | ts.TypeFlags.Unknown)) return {};
  if (type.isUnion() && !type.aliasSymbol && !names.has(type)) return unionOf(type);
  if (type.isStringLiteral() || type.isNumberLiteral()) return { const: type.value };
  if (type.flags & ts.TypeFlags.BooleanLiteral) return { const: checker.typeToString(type) === 'true' };
  if (type.flags & ts.TypeFlags.Null) return { type: 'null' };
  if (type.flags & ts.TypeFlags.StringLike) return { type: 'string' };
  if (type.flags & ts.TypeFlags.NumberLike) return { type: 'number' };
  if (type.flags & ts.TypeFlags.BooleanLike) return { type: 'boolean' };
  // Whole numbers beyond 2^53 are texts of digits in our JSON.
  if (type.flags & ts.TypeFlags.BigIntLike) return { type: 'string', pattern: '^-?\\d+$' };
  const name = nameOf(type);
  if (name === undefined) {
    // A type without a name that holds itself is any value (JSON within a model).
    if (open.has(type)) return {};
    open.add(type);
    const shape = shapeOf(type);
    open.delete(type);
    return shape;
  }
  if (!defined.has(name)) {
    defined.set(name, {});
    const symbol = type.aliasSymbol ?? type.getSymbol();
    defined.set(name, { ...(symbol ? says(symbol) : {}), ...shapeOf(type) });
  }
  return { $ref: `#/$defs/${name}` };
}

function unionOf(type: ts.UnionType): Json {
  const members = type.types.filter((t) => !(t.flags & ts.TypeFlags.Undefined));
  const schemas = members.map(schemaOf);
  if (schemas.every((s) => 'const' in s)) {
    const values = schemas.map((s) => s.const);
    if (values.length === 2 && values.includes(true) && values.includes(false)) return { type: 'boolean' };
    return values.length === 1 ? { const: values[0] } : { enum: values };
  }
  const plain = schemas.filter((s) => !(s.const === true || s.const === false));
  const isBoolean = schemas.length - plain.length === 2;
  const all = isBoolean ? [...plain, { type: 'boolean' }] : schemas;
  if (all.some((s) => Object.keys(s).length === 0)) return {};
  return all.length === 1 ? all[0]! : { anyOf: all };
}

function shapeOf(type: ts.Type): Json {
  if (type.isUnion()) return unionOf(type);
  if (checker.isTupleType(type)) {
    const { target, typeArguments = [] } = type as ts.TupleTypeReference & { typeArguments?: ts.Type[] };
    const items = (
      typeArguments.length > 0 ? typeArguments : checker.getTypeArguments(type as ts.TypeReference)
    ).map(schemaOf);
    return { type: 'array', prefixItems: items, minItems: target.minLength, items: false };
  }
  if (checker.isArrayType(type)) {
    const [of] = checker.getTypeArguments(type as ts.TypeReference);
    return { type: 'array', items: of ? schemaOf(of) : {} };
  }
  const properties: Json = {};
  const required: string[] = [];
  for (const property of checker.getPropertiesOfType(type)) {
    const of = checker.getTypeOfSymbol(property);
    if (of.getCallSignatures().length > 0)
      throw new Error(`${checker.typeToString(type)} has a function: ${property.name}`);
    properties[property.name] = { ...schemaOf(of), ...says(property) };
    const isOptional =
      (property.flags & ts.SymbolFlags.Optional) !== 0 ||
      (of.isUnion() && of.types.some((t) => t.flags & ts.TypeFlags.Undefined)) ||
      (of.flags & (ts.TypeFlags.Any | ts.TypeFlags.Unknown)) !== 0;
    if (!isOptional) required.push(property.name);
  }
  const index = checker.getIndexInfoOfType(type, ts.IndexKind.String);
  return {
    type: 'object',
    ...(Object.keys(properties).length > 0 ? { properties } : {}),
    ...(required.length > 0 ? { required } : {}),
    // Others may stand beside: what an endpoint adds to an answer of the core.
    ...(index ? { additionalProperties: schemaOf(index.type) } : {}),
  };
}

/** Roots by what is said of them: the text that stands in the contract. */
const roots: Json = {};
const look = (node: ts.Node): void => {
  if (
    ts.isCallExpression(node) &&
    node.expression.getText() === 'ofCore' &&
    node.arguments.length === 1 &&
    node.typeArguments?.[0]
  ) {
    const [text] = node.arguments;
    if (!text || !ts.isStringLiteral(text)) throw new Error('what ofCore says has to be a text');
    roots[text.text] = schemaOf(checker.getTypeFromTypeNode(node.typeArguments[0]));
  }
  ts.forEachChild(node, look);
};
for (const file of files) look(program.getSourceFile(file)!);

const made = {
  $comment: 'Made by `npm run schemas` from the types of the core.',
  roots,
  $defs: Object.fromEntries([...defined].sort(([a], [b]) => (a < b ? -1 : 1))),
};
const text = `${JSON.stringify(made, undefined, 1)}\n`;
if (process.argv.includes('--check')) {
  if (readFileSync(FILE, 'utf8') !== text) {
    process.stderr.write(`${FILE} is not what the types of the core say: run \`npm run schemas\`\n`);
    process.exitCode = 1;
  }
} else writeFileSync(FILE, text);
