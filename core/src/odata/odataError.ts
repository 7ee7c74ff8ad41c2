/**
 * Why a request is not answered, with its HTTP status: 400 where it is wrong, 501 for what is not offered.
 */
export class ODataError extends Error {
  constructor(
    readonly status: 400 | 404 | 501,
    message: string,
  ) {
    super(message);
  }
}

export const wrong = (message: string): ODataError => new ODataError(400, message);
/** What the standard has and this service does not offer; it has to be told apart from what is wrong. */
export const notOffered = (what: string): ODataError =>
  new ODataError(501, `${what} is not offered by this service`);
