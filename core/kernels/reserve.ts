// Memory of a kernel whose host lays it out by itself.

/** The first address of so many bytes that the host may use; they are zero where they were never used. */
export function reserve(bytes: usize): usize {
  const start = (__heap_base + 15) & ~15;
  const pages = ((start + bytes + 0xffff) >> 16) - <usize>memory.size();
  if (<isize>pages > 0 && memory.grow(<i32>pages) < 0) abort();
  return start;
}
