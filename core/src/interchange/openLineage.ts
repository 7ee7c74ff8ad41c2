import type { Model, Table } from '../model/index.ts';
import { sameName, stepsOf } from '../model/index.ts';
import { tablesRead } from '../shape/index.ts';
import { sourceName } from '../sources/index.ts';
import { VERSION } from '../version.ts';

const SPEC = 'https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent';
const SCHEMA_FACET =
  'https://openlineage.io/spec/facets/1-1-1/SchemaDatasetFacet.json#/$defs/SchemaDatasetFacet';
const PRODUCER = `urn:crease:${VERSION}`;

/**
 * Where the rows of each table come from, as run events of OpenLineage (version 2): one job for each table,
 * with the places or tables that it reads. `runId` gives a new UUID for each.
 */
export function openLineage(model: Model, now: Date, runId: () => string): object[] {
  const namespace = `crease:${model.name}`;
  const dataset = (table: Table) => ({
    namespace,
    name: table.name,
    facets: {
      schema: {
        _producer: PRODUCER,
        _schemaURL: SCHEMA_FACET,
        fields: table.columns.map((c) => ({
          name: c.name,
          type: c.type,
          ...(c.description === undefined ? {} : { description: c.description }),
        })),
      },
    },
  });
  return model.tables.map((table) => {
    const read = tablesRead(stepsOf(table)).flatMap(
      (name) => model.tables.find((t) => sameName(t.name, name)) ?? [],
    );
    const place = sourceName(table);
    return {
      eventType: 'COMPLETE',
      eventTime: now.toISOString(),
      run: { runId: runId() },
      job: { namespace, name: `rows of ${table.name}` },
      inputs: [
        ...(place === undefined ? [] : [{ namespace: `${namespace}:sources`, name: place }]),
        ...read.map(dataset),
      ],
      outputs: [dataset(table)],
      producer: PRODUCER,
      schemaURL: SPEC,
    };
  });
}
