export type { ODataRequest, ODataResponse } from './respond.ts';
export { faultOf, respondOData } from './respond.ts';
