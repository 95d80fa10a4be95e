import type { Authorisation, FilledCredential } from '../../core/ports.ts';
import { fieldText } from './field-text.ts';

/** A key in a field of its own. Throws `bad-insertion`. */
export function header(filled: FilledCredential): Authorisation {
  return { headers: [[filled.fields.get('name')!, fieldText(filled, 'value')]], query: [], secrets: [] };
}
