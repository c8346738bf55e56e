declare module '*.prelude.js' {
  const text: string;
  export default text;
}
