import { fileURLToPath } from 'node:url';
import { scoreDraft } from './score.ts';

// Drafts of real tables; SOURCES.md says where they are from. Others: `npm run bench -- drafts FOLDER …`.

test.each(['flights', 'days', 'lands', 'march', 'readings', 'towns'])(
  'the draft of %s is what a modeler would have',
  async (name) => {
    const scores = await scoreDraft(fileURLToPath(new URL(name, import.meta.url)));
    expect(Object.fromEntries(Object.entries(scores).map(([what, score]) => [what, score.wrong]))).toEqual({
      roles: [],
      keys: [],
      types: [],
      uses: [],
      relationships: [],
    });
  },
);
