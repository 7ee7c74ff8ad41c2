export * from './editError.ts';
export * from './edit.ts';
export * from './edits.ts';
export * from './dayOf.ts';
export * from './newCalendar.ts';
export * from './rename.ts';
export * from './stepsUnder.ts';
export * from './withMissing.ts';
