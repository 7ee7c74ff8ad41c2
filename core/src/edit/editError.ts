/** An edit that does not fit the model: what is in its way. */
export class EditError extends Error {}
