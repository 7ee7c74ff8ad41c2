/** The pages of the documentation, as they lie in `docs/`: each is loaded when it is first opened. */
const FILES = import.meta.glob<string>('../../../docs/*.md', { query: '?raw', import: 'default' });

/** Pictures of pages: where each is served, by its name. */
const PICTURES = import.meta.glob<string>('../../../docs/*.svg', {
  query: '?url',
  import: 'default',
  eager: true,
});

/** Where a picture of a page is served; undefined for one that there is not. */
export const pictureAt = (name: string): string | undefined => PICTURES[`../../../docs/${name}`];

const nameOf = (path: string): string => path.replace(/^.*\/|\.md$/g, '');

/** Titles in the order in which one reads them; pages that are not here come behind. */
const TITLES: Readonly<Record<string, string>> = {
  'first-look': 'First look',
  intake: 'Intake',
  loads: 'Loads',
  shaping: 'Shape',
  stars: 'Stars',
  hierarchies: 'Hierarchies',
  measures: 'Measures',
  perspectives: 'Perspectives',
  storage: 'Storage',
  warehouse: 'On the warehouse',
  trial: 'Trial',
  release: 'Release',
  consumers: 'Consumers',
  formulas: 'Formulas',
  claims: 'Claims',
  'model-file': 'The model file',
  engine: 'The engine',
  performance: 'Performance',
  errors: 'Errors',
};

export interface DocPage {
  readonly name: string;
  readonly title: string;
  readonly load: () => Promise<string>;
}

export const DOC_PAGES: readonly DocPage[] = Object.entries(FILES)
  .map(([path, load]) => ({ name: nameOf(path), title: TITLES[nameOf(path)] ?? nameOf(path), load }))
  .sort((a, b) => rank(a.name) - rank(b.name));

function rank(name: string): number {
  const at = Object.keys(TITLES).indexOf(name);
  return at < 0 ? Number.MAX_SAFE_INTEGER : at;
}
