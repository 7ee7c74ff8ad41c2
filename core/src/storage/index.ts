export * from './profile.ts';
