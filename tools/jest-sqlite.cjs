// better-sqlite3 registers its error class once per process, but Jest gives every test file a realm of its own.
require('better-sqlite3/build/Release/better_sqlite3.node').isInitialized = false;
