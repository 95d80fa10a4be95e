import type { CallBody, CallStep, Insertion, Parameter, PlacedExpression, Typed } from '../../chain/model.ts';
import { isObject, membersOf } from '../../language/values.ts';
import { utf8 } from '../../language/encodings.ts';
import { writeJson } from '../../language/json.ts';
import { ProblemError } from '../../problems.ts';
import type { BuiltBody } from '../wire/built-request.ts';
import type { RunContext } from '../scope/context.ts';
import { amountOf } from '../scope/settings.ts';
import {
  encodeForm,
  type Inserter,
  renderParameters,
  renderPath,
  renderText,
  renderTyped,
  renderXml,
  isTooShort,
  refuseShortSecret,
  watchingShort,
} from '../scope/insert.ts';
import { typeOfFile } from './media-types.ts';
import { sentBytes, multipart, opened } from './multipart.ts';

/** Builds the body of a call; files are opened, not read. Throws problems with a place. */
export async function buildBody(context: RunContext, step: CallStep, inserter: Inserter): Promise<BuiltBody> {
  const { body } = step;
  if (!body) return {};
  switch (body.type) {
    case 'json':
      return jsonBody(context, body, inserter);
    case 'form':
      return {
        body: utf8(
          encodeForm(
            body.fields.flatMap((field) =>
              renderParameters(
                watchingShort(inserter, (insertion) => {
                  for (const name of shortIn(inserter, field, insertion)) context.hidden.names.add(name);
                }),
                [field],
              ),
            ),
          ),
        ),
        type: 'application/x-www-form-urlencoded',
      };
    case 'text':
      return {
        body: utf8(renderText(watchingShort(inserter, refuseShortSecret), body.text)),
        type: 'text/plain; charset=utf-8',
      };
    case 'xml':
      return {
        body: utf8(renderXml(watchingShort(inserter, refuseShortSecret), body.text)),
        type: 'application/xml; charset=utf-8',
      };
    case 'file': {
      const path = renderPath(inserter, body.path);
      const environment = context.environment(step, undefined, (name) => context.sentName(name));
      const range = {
        from: body.from ? amountOf(body.from, environment) : 0,
        to: body.to ? amountOf(body.to, environment) : Infinity,
      };
      return { body: await opened(context, path, body.at, range), type: typeOfFile(path) };
    }
    case 'bytes':
      return { body: sentBytes(inserter, body.value), type: 'application/octet-stream' };
    case 'multipart':
      return multipart(context, body.parts, inserter);
  }
}

function jsonBody(context: RunContext, body: CallBody & { type: 'json' }, inserter: Inserter): BuiltBody {
  const value = renderTyped(
    watchingShort(inserter, (insertion) => {
      const member = memberOfInsertion(body.value, insertion);
      if (member === undefined) refuseShortSecret(insertion);
      context.hidden.names.add(member);
    }),
    body.value,
  );
  const json = value === undefined ? null : value;
  try {
    return { body: utf8(writeJson(json)), type: 'application/json', json };
  } catch (error) {
    if (error instanceof ProblemError) throw new ProblemError({ ...error.problem, place: body.at });
    throw error;
  }
}

/** The names under which values are sent that are too short to be found again. */
function shortIn(inserter: Inserter, { all, name }: Parameter, insertion: PlacedExpression): string[] {
  const value = all ? inserter.value(insertion) : undefined;
  if (value === undefined || !isObject(value)) return [name];
  return membersOf(value).flatMap(([member, one]) => (isTooShort(one) ? [member] : []));
}

/** The member in which an insertion stands; undefined if it stands in none. */
function memberOfInsertion(typed: Typed, insertion: PlacedExpression, member?: string): string | undefined {
  switch (typed.type) {
    case 'insertion':
      return typed.insertion === insertion ? member : undefined;
    case 'template':
      return typed.template.parts.includes(insertion as Insertion) ? member : undefined;
    case 'list':
      return typed.items.map((item) => memberOfInsertion(item, insertion, member)).find(Boolean);
    case 'object':
      return typed.members.map(([name, one]) => memberOfInsertion(one, insertion, name)).find(Boolean);
    case 'value':
      return undefined;
  }
}
