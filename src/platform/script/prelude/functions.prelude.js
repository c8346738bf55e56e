// What mervok:functions is made of; the functions themselves are those of the program.
import { Failure, NoValue, pack, want } from 'mervok:inner';

export function functionOf(name) {
  const called = (...given) => want('call', name, ...given.map((each, at) => packed(each, at)));
  const packed = (value, at) => {
    try {
      return pack(value);
    } catch (error) {
      if (!(error instanceof NoValue)) throw error;
      throw new Failure(`${name}() cannot be given ${error.message} (argument ${at + 1})`);
    }
  };
  return Object.defineProperty(called, 'name', { value: name });
}
