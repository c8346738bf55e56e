// How many columns a text takes: a part of the bundle of its own, loaded only where a text is not plain ASCII.
export { default as stringWidth } from 'string-width';
