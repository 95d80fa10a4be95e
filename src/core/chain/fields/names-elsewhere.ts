import { objectKind, TEXT } from '../../language/kinds.ts';
import type { StaticName } from '../../language/scope.ts';
import { responseNameKinds } from '../keys/given-names.ts';

/** `secret.NAME` and `services.NAME.url`. */
export function sentNames(
  secrets: readonly string[],
  services: readonly string[],
): { lookup: (name: string) => StaticName | undefined; names: string[] } {
  const secretKind = objectKind(Object.fromEntries(secrets.map((name) => [name, TEXT])));
  const servicesKind = objectKind(
    Object.fromEntries(services.map((name) => [name, objectKind({ url: TEXT })])),
  );
  return {
    lookup: (name) =>
      name === 'secret'
        ? { kind: secretKind, secret: true }
        : name === 'services'
          ? { kind: servicesKind }
          : undefined,
    names: ['secret', 'services'],
  };
}

export function notHere(
  name: string,
  why: string,
  lastCall: string | undefined,
): { message: string; hint?: string; replace?: string } | undefined {
  if (name === 'secret') {
    return {
      message: 'a secret stands only in texts of the project file and in texts that are sent',
      hint: 'use it in headers, query, a body or a credential',
    };
  }
  if (name === 'services')
    return {
      message: 'services.NAME.url stands only in texts of the project file and in texts that are sent',
    };
  if (name === 'gathered' || name === 'arrived' || name === 'index')
    return { message: `${name} has no meaning in this step` };
  if (!Object.hasOwn(responseNameKinds(undefined), name) || why === '') return undefined;
  const of =
    ['ok', 'status', 'headers', 'body', 'url', 'attempts', 'elapsed'].includes(name) && lastCall !== undefined
      ? `${lastCall}.${name}`
      : undefined;
  return {
    message: `${name} speaks of a response, and ${why}`,
    ...(of === undefined ? {} : { hint: of, replace: of }),
  };
}
