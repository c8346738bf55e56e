// The build puts these files into the program as texts.
declare module '*.pem' {
  const text: string;
  export default text;
}
declare module '*.key' {
  const text: string;
  export default text;
}
