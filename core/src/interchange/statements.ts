import type { Model, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { parseType, TEXT } from '../values/index.ts';

/** A node of a graph by its address, or a literal with its type or language. */
export type RdfTerm = { readonly iri: string } | { readonly literal: string; readonly type?: string };
export interface RdfStatement {
  readonly subject: string;
  readonly predicate: string;
  readonly object: RdfTerm;
}

/** Vocabularies by their usual prefixes. */
export const RDF_PREFIXES: Readonly<Record<string, string>> = {
  rdf: 'http://www.w3.org/1999/02/22-rdf-syntax-ns#',
  rdfs: 'http://www.w3.org/2000/01/rdf-schema#',
  xsd: 'http://www.w3.org/2001/XMLSchema#',
  qb: 'http://purl.org/linked-data/cube#',
  skos: 'http://www.w3.org/2004/02/skos/core#',
  xkos: 'http://rdf-vocabulary.ddialliance.org/xkos#',
};

const XSD: Readonly<Record<string, string>> = {
  integer: 'integer',
  decimal: 'decimal',
  double: 'double',
  text: 'string',
  boolean: 'boolean',
  date: 'date',
  timestamp: 'dateTime',
};

/**
 * The structure of a model in the RDF Data Cube Vocabulary (W3C, 2014): each fact as a data structure
 * definition with its dimensions, measures and attributes; hierarchies as SKOS concept schemes with their
 * levels (XKOS). Addresses are below `base`. Rows are no part of it.
 */
export function rdfStatements(model: Model, base: string): RdfStatement[] {
  const found: RdfStatement[] = [];
  const at = (...path: string[]) => `${base}${path.map(encodeURIComponent).join('/')}`;
  const term = (prefix: string, name: string) => `${RDF_PREFIXES[prefix]!}${name}`;
  const say = (subject: string, prefix: string, predicate: string, object: RdfTerm) =>
    found.push({ subject, predicate: term(prefix, predicate), object });
  const isA = (subject: string, prefix: string, name: string) =>
    say(subject, 'rdf', 'type', { iri: term(prefix, name) });
  const describe = (
    subject: string,
    of: { name: string; title?: string | undefined; description?: string | undefined },
  ) => {
    say(subject, 'rdfs', 'label', { literal: of.title ?? of.name });
    if (of.description) say(subject, 'rdfs', 'comment', { literal: of.description });
  };
  const component = (fact: string, kind: string, name: string, property: string) => {
    const node = at('structure', fact, kind, name);
    say(at('structure', fact), 'qb', 'component', { iri: node });
    say(node, 'qb', kind, { iri: property });
  };
  const named = (name: string): Table | undefined => model.tables.find((t) => sameName(t.name, name));
  for (const fact of model.tables.filter((t) => t.role === 'fact')) {
    const structure = at('structure', fact.name);
    isA(structure, 'qb', 'DataStructureDefinition');
    describe(structure, fact);
    isA(at('dataset', fact.name), 'qb', 'DataSet');
    say(at('dataset', fact.name), 'qb', 'structure', { iri: structure });
    for (const r of (model.relationships ?? []).filter((x) => sameName(x.from.table, fact.name))) {
      const property = at('dimension', r.name);
      isA(property, 'qb', 'DimensionProperty');
      describe(property, { name: r.role ?? r.to.table, title: r.title ?? named(r.to.table)?.title });
      for (const h of (model.hierarchies ?? []).filter((x) => sameName(x.table, r.to.table)))
        say(property, 'qb', 'codeList', { iri: at('hierarchy', h.table, h.name) });
      component(fact.name, 'dimension', r.name, property);
    }
    for (const column of fact.columns.filter((c) => c.use === 'quantity' || c.use === 'attribute')) {
      const kind = column.use === 'quantity' ? 'measure' : 'attribute';
      const property = at(kind, fact.name, column.name);
      isA(property, 'qb', column.use === 'quantity' ? 'MeasureProperty' : 'AttributeProperty');
      describe(property, column);
      const type = XSD[(parseType(column.type) ?? TEXT).kind]!;
      say(property, 'rdfs', 'range', { iri: term('xsd', type) });
      component(fact.name, kind, column.name, property);
    }
  }
  for (const h of model.hierarchies ?? []) {
    const scheme = at('hierarchy', h.table, h.name);
    isA(scheme, 'skos', 'ConceptScheme');
    describe(scheme, h);
    (h.levels ?? []).forEach((level, i) => {
      const node = at('level', h.table, h.name, level.name);
      isA(node, 'xkos', 'ClassificationLevel');
      say(node, 'skos', 'prefLabel', { literal: level.name });
      say(node, 'xkos', 'depth', { literal: String(i + 1), type: term('xsd', 'positiveInteger') });
      say(scheme, 'xkos', 'levels', { iri: node });
    });
  }
  return found;
}
