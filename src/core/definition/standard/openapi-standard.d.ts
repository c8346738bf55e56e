declare module 'openapi-standard:*' {
  const validate: import('ajv').ValidateFunction;
  export default validate;
}
