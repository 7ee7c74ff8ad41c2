export * from './rowsBehind.ts';
