declare module '*.css';
declare module '@fontsource-variable/*';
declare module '*.md?raw' {
  const text: string;
  export default text;
}
