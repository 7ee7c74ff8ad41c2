/** What the command line needs of the server: files, and no database. */
export * from './sources/fileTable.ts';
export * from './sources/folder.ts';
export * from './sources/preview.ts';
export * from './sources/folderCache.ts';
