// What the page is made of beside markup; the build puts these files in as texts.

declare module '*.css' {
  const text: string;
  export default text;
}

declare module '*.client.js' {
  const text: string;
  export default text;
}
