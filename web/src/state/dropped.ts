/**
 * Files that were dropped before there was a model for them: the Intake stage takes them once it is there.
 */
let waiting: readonly File[] = [];

export function dropFiles(files: readonly File[]): void {
  waiting = files;
}

/** What has been dropped and not been taken yet. */
export function takeDropped(): readonly File[] {
  const files = waiting;
  waiting = [];
  return files;
}

/** A file with the folders in which it lies, the outermost first. */
export interface FoundFile {
  readonly file: File;
  readonly folders: readonly string[];
}

/** Files that have tables in them, or that declare some. */
const OF_TABLES = /\.(csv|tsv|txt|parquet|sql|ddl)(\.gz)?$/i;

/**
 * Files under names that tell them apart: of those of one name in several folders each is called with its
 * folder. What lies in folders and is no file of tables is left out; what was chosen itself is not.
 */
export function apart(found: readonly FoundFile[]): File[] {
  const taken = found.filter(({ file, folders }) => folders.length === 0 || OF_TABLES.test(file.name));
  return taken.map(({ file, folders }) => {
    const twice = taken.some((other) => other.file !== file && other.file.name === file.name);
    return twice && folders.length > 0
      ? new File([file], `${folders.at(-1)!}_${file.name}`, { type: file.type })
      : file;
  });
}

/**
 * What was dropped, with all that lies in folders. It must be asked for at once, while the drop is handled.
 */
export async function filesOfDrop(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].flatMap((item) => item.webkitGetAsEntry() ?? []);
  if (!entries.some((e) => e.isDirectory)) return [...transfer.files];
  const found = await Promise.all(entries.map((entry) => filesIn(entry, [])));
  return apart(found.flat());
}

/** What was chosen as a folder: the path of each file is written from that folder on. */
export const filesOfFolder = (files: readonly File[]): File[] =>
  apart(files.map((file) => ({ file, folders: file.webkitRelativePath.split('/').slice(0, -1) })));

async function filesIn(entry: FileSystemEntry, folders: readonly string[]): Promise<FoundFile[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
    return [{ file, folders }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: FoundFile[] = [];
  // A reader gives up to a hundred entries at a time, and none when it has given all.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
    if (some.length === 0) return found;
    for (const inside of some) found.push(...(await filesIn(inside, [...folders, entry.name])));
  }
}
