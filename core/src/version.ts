/** The program's version, as it is told to those who read what it writes. */
export const VERSION = '0.1.0';
