import { randomUUID } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Command } from 'commander';
import { Option } from 'commander';
import { DataFactory, Writer } from 'n3';
import type { RdfStatement } from '@crease/core/interchange';
import {
  createTables,
  dataPackage,
  DDL_DIALECTS,
  openLineage,
  RDF_PREFIXES,
  rdfStatements,
  rowSchemas,
  tableMetadata,
} from '@crease/core/interchange';
import type { Model, Table } from '@crease/core/model';
import { fileOf } from '@crease/core/model';
import { CommandError, loadModel } from '../input.ts';

const json = (content: object): string => `${JSON.stringify(content, null, 2)}\n`;

/** A table's name as that of a file. */
const fileName = (table: string): string => table.replace(/[^\p{L}\p{N}._-]/gu, '_');

/** Where a table's rows lie: its own file, or one of its name. */
const placeOf =
  (model: Model) =>
  ({ name }: Pick<Table, 'name'>): string =>
    fileOf(model.tables.find((t) => t.name === name))?.file ?? `${name}.csv`;

/** Files by name, of each format. */
const FORMATS: Readonly<Record<string, (model: Model) => Promise<Record<string, string>>>> = {
  ddl: (model) =>
    Promise.resolve(
      Object.fromEntries(DDL_DIALECTS.map((d) => [`${model.name}.${d}.sql`, createTables(model, d)])),
    ),
  'data-package': (model) =>
    Promise.resolve({ 'datapackage.json': json(dataPackage(model, placeOf(model), new Date())) }),
  csvw: (model) => Promise.resolve({ 'csv-metadata.json': json(tableMetadata(model, placeOf(model))) }),
  openlineage: (model) =>
    Promise.resolve({
      'openlineage.ndjson': openLineage(model, new Date(), randomUUID)
        .map((event) => `${JSON.stringify(event)}\n`)
        .join(''),
    }),
  'json-schema': (model) =>
    Promise.resolve(
      Object.fromEntries(
        [...rowSchemas(model)].map(([table, schema]) => [`${fileName(table)}.schema.json`, json(schema)]),
      ),
    ),
  rdf: async (model) => ({
    [`${model.name}.ttl`]: await turtle(
      rdfStatements(model, `urn:crease:${encodeURIComponent(model.name)}:`),
    ),
  }),
};

export function addExport(program: Command): void {
  program
    .command('export <model>')
    .description('writes a model in an open format; its rows stay where they are')
    .addOption(new Option('--as <format>', 'the format').choices(Object.keys(FORMATS)).makeOptionMandatory())
    .requiredOption('--out <dir>', 'the folder that the files are written to')
    .action(async (modelFile: string, options: { as: string; out: string }) => {
      const files = await FORMATS[options.as]!(loadModel(modelFile));
      try {
        mkdirSync(options.out, { recursive: true });
        for (const [name, text] of Object.entries(files)) writeFileSync(join(options.out, name), text);
      } catch (error) {
        const { code } = error as NodeJS.ErrnoException;
        throw new CommandError(`${options.out} cannot be written to (${code})`);
      }
      process.stdout.write(
        Object.keys(files)
          .map((name) => `${join(options.out, name)}\n`)
          .join(''),
      );
    });
}

function turtle(statements: readonly RdfStatement[]): Promise<string> {
  const { namedNode, literal, quad } = DataFactory;
  const writer = new Writer({ prefixes: RDF_PREFIXES });
  for (const { subject, predicate, object } of statements) {
    const value =
      'iri' in object
        ? namedNode(object.iri)
        : literal(object.literal, object.type === undefined ? undefined : namedNode(object.type));
    writer.addQuad(quad(namedNode(subject), namedNode(predicate), value));
  }
  return new Promise((done, fail) =>
    writer.end((error, text) => (error ? fail(error) : done(text as string))),
  );
}
