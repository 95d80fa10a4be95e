/**
 * Every code that a problem can carry, with what it means. A code is never renamed: people search for it.
 * `explain CODE` prints these texts.
 */
export const problemCodes = {
  // expressions, before anything runs
  'bad-syntax': 'The expression is not written as the grammar wants it. The caret stands where reading stopped.',
  'too-long': 'An expression has at most 10,000 characters.',
  'too-deep': 'An expression has at most 100 levels of brackets.',
  'filter-not-standard': 'A filter […?…] uses only what RFC 9535 has, but not as that standard allows it.',
  'list-in-comparison': 'A path that may find several values stands where one value is wanted.',
  'unknown-name': 'Nothing that stands before this place defines the name.',
  'unknown-function': 'There is no function of this name.',
  'unknown-member': 'What stands before the point is known, and has no member of this name.',
  'unknown-zone': 'The time zone is not in the IANA list.',
  'unknown-algorithm': 'The digest algorithm is not one of those that the language has.',
  'wrong-arguments': 'A function is given too few or too many arguments.',
  'wrong-kind': 'A value is of another kind than this place wants.',
  'kinds-differ': 'Values of different kinds are compared. They are never equal and have no order.',
  'not-yes-or-no': 'A condition is true or false, and this value is neither. No other value counts as true or false.',
  'may-be-nothing': 'A name that some way through the chain leaves without a value is used as if it always had one.',
  'no-answer-here': '$ is the answer of the step it stands in, and there is none here.',
  'no-item': '@ stands only inside a filter, or in the second argument of any, every, map, sort, min, max, unique and group.',
  'function-not-here': 'raw stands only in a URL, hidden only in keep, both as the whole expression.',
  'pattern-invalid': 'A pattern is not of RFC 9485.',
  'pattern-too-large': 'A pattern needs more states than the bound allows.',
  'date-pattern-invalid': 'A date pattern has a letter that means nothing.',
  // expressions, on what came
  'found-nothing': 'A path found nothing where a value is needed. The message says how far it got and what was there.',
  'not-a-number': 'A text that was to be read as a number is none.',
  'not-a-time': 'A value that was to be read as a time is none.',
  'not-a-url': 'A text that was to be read as a URL is none.',
  'not-a-pointer': 'A text that was to be read as a JSON Pointer is none.',
  'not-encoded': 'A text is not in the encoding that was to be undone.',
  'not-text': 'Bytes that were to be read as text are not UTF-8.',
  'not-json': 'A value has no form in JSON.',
  'json-invalid': 'A text that should be JSON is not.',
  'json-too-deep': 'JSON is nested more than 500 levels deep.',
  'division-by-zero': 'A number is divided by zero. There is no infinity.',
  'number-too-long': 'Arithmetic works with at most 1,000 digits.',
  'too-many-nodes': 'One evaluation visits at most 10 million nodes.',
  'list-too-long': 'An expression makes lists of at most a million items.',
  'text-too-long': 'An expression makes texts of at most 64 MiB.',
} as const;

export type ProblemCode = keyof typeof problemCodes;
