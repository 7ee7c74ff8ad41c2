import type { DataType } from '../values/index.ts';
import { escapedHtml as escaped } from '../values/index.ts';
import type { EntitySet, ODataService, Property } from './service.ts';

const CORE = 'Org.OData.Core.V1';
const AGGREGATION = 'Org.OData.Aggregation.V1';
const VOCABULARIES = 'https://docs.oasis-open.org/odata/odata-vocabularies/v4.0/vocabularies';

/** The primitive type of CSDL for a type, with its facets. Moments have no zone: they are given as UTC. */
function edmType(type: DataType): { readonly name: string; readonly facets: string } {
  switch (type.kind) {
    case 'integer':
      return { name: 'Edm.Int64', facets: '' };
    case 'decimal':
      return { name: 'Edm.Decimal', facets: ` Precision="${type.precision}" Scale="${type.scale}"` };
    case 'double':
      return { name: 'Edm.Double', facets: '' };
    case 'boolean':
      return { name: 'Edm.Boolean', facets: '' };
    case 'date':
      return { name: 'Edm.Date', facets: '' };
    case 'timestamp':
      return { name: 'Edm.DateTimeOffset', facets: ' Precision="6"' };
    case 'text':
      return { name: 'Edm.String', facets: '' };
  }
}

const annotation = (term: string, value: string | undefined): string =>
  value === undefined ? '' : `<Annotation Term="${CORE}.${term}" String="${escaped(value)}"/>`;

const told = ({ title, description }: Pick<Property, 'title' | 'description'>): string =>
  annotation('Description', title) + annotation('LongDescription', description);

function propertyXml({ id, type, ...of }: Property, isKey: boolean): string {
  const { name, facets } = edmType(type);
  return `<Property Name="${escaped(id)}" Type="${name}"${facets} Nullable="${isKey ? 'false' : 'true'}">${told(of)}</Property>`;
}

const rowXml = (id: string): string =>
  `<Property Name="${escaped(id)}" Type="Edm.Int64" Nullable="false"><Annotation Term="${CORE}.Computed" Bool="true"/></Property>`;

const keyXml = (ids: readonly string[]): string =>
  `<Key>${ids.map((id) => `<PropertyRef Name="${escaped(id)}"/>`).join('')}</Key>`;

function setTypeXml({ id, table, properties, key, row }: EntitySet): string {
  return [
    `<EntityType Name="${escaped(id)}">`,
    keyXml(key ? key.map((p) => p.id) : [row]),
    ...(key ? [] : [rowXml(row)]),
    ...properties.map((p) => propertyXml(p, key?.includes(p) ?? false)),
    annotation('Description', table.title),
    annotation('LongDescription', table.description),
    '</EntityType>',
  ].join('');
}

/**
 * What requests for answers may say, and which of their properties are measures (Data Aggregation 4.0, 5).
 */
function answersXml({ namespace, container, answers }: ODataService): string {
  const transformations = ['filter', 'groupby', 'aggregate', 'orderby', 'top', 'skip'];
  const measures = answers.properties.filter((p) => p.kind === 'measure');
  const attributes = answers.properties.filter((p) => p.kind === 'attribute');
  return [
    `<Annotations Target="${escaped(`${namespace}.${container}/${answers.id}`)}">`,
    `<Annotation Term="${AGGREGATION}.ApplySupported"><Record>`,
    `<PropertyValue Property="Transformations"><Collection>${transformations.map((t) => `<String>${t}</String>`).join('')}</Collection></PropertyValue>`,
    `<PropertyValue Property="GroupableProperties"><Collection>${attributes.map((p) => `<PropertyPath>${escaped(p.id)}</PropertyPath>`).join('')}</Collection></PropertyValue>`,
    '</Record></Annotation>',
    ...measures.map(
      (m) =>
        `<Annotation Term="${AGGREGATION}.CustomAggregate" Qualifier="${escaped(m.id)}" String="${edmType(m.type).name}"/>`,
    ),
    '</Annotations>',
  ].join('');
}

/** The metadata document (CSDL XML 4.01), in a version of the protocol. */
export function metadataXml(service: ODataService, version: '4.0' | '4.01'): string {
  const { namespace, container, sets, answers } = service;
  const reference = (file: string, vocabulary: string) =>
    `<edmx:Reference Uri="${VOCABULARIES}/${file}.xml"><edmx:Include Namespace="${vocabulary}"/></edmx:Reference>`;
  return [
    '<?xml version="1.0" encoding="utf-8"?>',
    `<edmx:Edmx Version="${version}" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx">`,
    reference(CORE, CORE),
    reference(AGGREGATION, AGGREGATION),
    '<edmx:DataServices>',
    `<Schema Namespace="${escaped(namespace)}" xmlns="http://docs.oasis-open.org/odata/ns/edm">`,
    ...sets.map(setTypeXml),
    `<EntityType Name="${escaped(answers.id)}">${keyXml([answers.row])}${rowXml(answers.row)}${answers.properties.map((p) => propertyXml(p, false)).join('')}</EntityType>`,
    `<EntityContainer Name="${escaped(container)}">`,
    ...[...sets, answers].map(
      ({ id }) => `<EntitySet Name="${escaped(id)}" EntityType="${escaped(`${namespace}.${id}`)}"/>`,
    ),
    '</EntityContainer>',
    answersXml(service),
    '</Schema></edmx:DataServices></edmx:Edmx>',
  ].join('\n');
}

/** The service document (JSON Format 4.01, 5). */
export const serviceDocument = ({ sets, answers }: ODataService): readonly object[] => [
  ...sets.map(({ id, table }) => ({
    name: id,
    kind: 'EntitySet',
    url: encodeURIComponent(id),
    ...(table.title === undefined ? {} : { title: table.title }),
  })),
  { name: answers.id, kind: 'EntitySet', url: encodeURIComponent(answers.id) },
];
