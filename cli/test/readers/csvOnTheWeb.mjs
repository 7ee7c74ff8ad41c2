// Reads rows by their description in CSV on the Web, by packages of that standard, and prints each cell with its
// type: node csvOnTheWeb.mjs METADATA FILE
import { createReadStream, readFileSync } from 'node:fs';
import dataset from '@rdfjs/dataset';
import jsonld from 'jsonld';
import { Parser } from 'n3';
import CsvwParser from 'rdf-parser-csvw';

/** Terms of the context of CSV on the Web (csvw.ttl), as far as they are used. */
const CSVW = {
  '@context': {
    csvw: 'http://www.w3.org/ns/csvw#',
    xsd: 'http://www.w3.org/2001/XMLSchema#',
    tables: { '@id': 'csvw:table', '@type': '@id' },
    url: 'csvw:url',
    tableSchema: { '@id': 'csvw:tableSchema', '@type': '@id' },
    columns: { '@id': 'csvw:column', '@container': '@list' },
    name: 'csvw:name',
    titles: 'csvw:title',
    null: 'csvw:null',
    datatype: { '@id': 'csvw:datatype', '@type': '@vocab' },
    primaryKey: 'csvw:primaryKey',
    integer: 'xsd:integer',
    decimal: 'xsd:decimal',
  },
};

const [metadataFile, file] = process.argv.slice(2);
const quads = await jsonld.toRDF(JSON.parse(readFileSync(metadataFile, 'utf8')), {
  format: 'application/n-quads',
  // The context of the standard is not fetched: nothing is.
  documentLoader: async (url) => {
    if (url !== 'http://www.w3.org/ns/csvw') throw new Error(`there is no context ${url}`);
    return { document: CSVW, documentUrl: url, contextUrl: null };
  },
});
const metadata = dataset.dataset(new Parser().parse(quads));
const base = 'http://example.org/rows.csv';
for await (const { predicate, object } of new CsvwParser({ metadata, baseIRI: base }).import(
  createReadStream(file),
))
  if (predicate.value.startsWith(`${base}#`))
    console.log(`${predicate.value.split('#')[1]} ${object.value} ${object.datatype.value.split('#')[1]}`);
