import type { Perspective } from '@crease/core/model';
import type { ODataRequest, ODataResponse } from '@crease/core/odata';
import { respondOData } from '@crease/core/odata';
import type { ModelData } from '@crease/core/query';
import { ReadersView } from '@crease/core/release';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** What readers are shown, by the rows of a release and their perspective. */
const views = new WeakMap<ModelData, Map<string, ReadersView>>();

function viewOf(data: ModelData, perspective: Perspective | undefined): ReadersView {
  const known = views.get(data) ?? new Map<string, ReadersView>();
  views.set(data, known);
  const key = JSON.stringify(perspective);
  const found = known.get(key) ?? new ReadersView(data.model, perspective);
  known.set(key, found);
  return found;
}

/** Answers a request of OData; without a perspective all is offered that is not hidden. */
export const odata = task(
  ({
    perspective,
    request,
    ...version
  }: { perspective: Perspective | undefined; request: ODataRequest } & ModelVersion): ODataResponse => {
    const data = dataOf(version);
    return respondOData(data, viewOf(data, perspective), request);
  },
);
