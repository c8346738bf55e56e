declare const __MERVOK_VERSION__: string;

/** Put in by the build, from package.json. */
export const version: string = __MERVOK_VERSION__;
