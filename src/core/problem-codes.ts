/** What is known of a code. */
interface Code {
  /** As `explain CODE` prints it. */
  readonly means: string;
  /** A problem stops a step, a warning only says something; some codes may be either. */
  readonly level: 'problem' | 'warning' | 'either';
  /** The exit code of a run that ends with it. */
  readonly exit: 1 | 3 | 4;
}

const problem = (means: string) => ({ means, level: 'problem', exit: 1 }) as const;
/** The run could not be completed: no response came that could be looked at, or a bound was reached. */
const incomplete = (means: string) => ({ means, level: 'problem', exit: 3 }) as const;
const ofOurOwn = (means: string) => ({ means, level: 'problem', exit: 4 }) as const;
const warn = (means: string) => ({ means, level: 'warning', exit: 1 }) as const;
const either = (means: string) => ({ means, level: 'either', exit: 1 }) as const;

/** Every code that a problem or a warning can carry. A code is never renamed: people search for it. */
export const problemCodes = {
  // expressions, before anything runs
  'bad-syntax': problem(
    'The expression is not written as the grammar wants it. The caret stands where reading stopped.',
  ),
  'too-long': problem('An expression has at most 10,000 characters.'),
  'too-deep': problem('An expression has at most 100 levels of brackets and 500 operators.'),
  'filter-not-standard': problem(
    'A filter […?…] uses only what RFC 9535 has, but not as that standard allows it.',
  ),
  'list-in-comparison': problem('A path that may find several values stands where one value is wanted.'),
  'unknown-name': problem('Nothing that stands before this place defines the name.'),
  'unknown-function': problem('There is no function of this name.'),
  'unknown-member': problem('What stands before the dot is known, and has no member of this name.'),
  'unknown-schema': problem(
    'fits(…) names a schema that is neither under `shapes`, nor in a description, nor a file.',
  ),
  'unknown-zone': problem('The time zone is not in the IANA list.'),
  'unknown-algorithm': problem('The digest algorithm is not one of those that the language has.'),
  'wrong-arguments': problem('A function is given too few or too many arguments.'),
  'wrong-kind': problem('A value is of another kind than this place wants.'),
  'kinds-differ': problem('Values of different kinds are compared. They are never equal and have no order.'),
  'not-yes-or-no': problem(
    'A condition is true or false, and this value is neither. No other value counts as true or false.',
  ),
  'may-be-nothing': problem(
    'A name that some way through the chain leaves without a value is used as if it always had one.',
  ),
  'no-response-here': problem('$ is the response of its own step, and there is none here.'),
  'no-item': problem(
    '@ stands only inside a filter, or in the second argument of any, every, map, sort, min, max, unique and group.',
  ),
  'function-not-here': problem(
    'raw stands only in a URL, hidden only in keep, both as the whole expression.',
  ),
  'pattern-invalid': problem('A pattern is not of RFC 9485.'),
  'pattern-too-large': problem('A pattern needs more states than the bound allows.'),
  'number-pattern-invalid': problem('A pattern for a number has other signs than 0 # , and a point.'),
  'date-pattern-invalid': problem('A date pattern has a letter that means nothing.'),
  // expressions, on what came
  'existence-of-false': warn(
    'A filter asks whether a member is there, and kept items in which it is false or null.',
  ),
  'path-in-no-item': warn('A filter speaks of a member that none of the items it was tried on has.'),
  'expectation-not-met': warn('An expectation with `else: warning` does not hold.'),
  'path-in-some-items': warn(
    'A path that finds several values found none in some of the items before it. They are left out.',
  ),
  'clock-change': warn(
    'Whole days were added to a time, as 24 hours each, over a change of the clocks. The time of day is another then.',
  ),
  'found-nothing': problem(
    'A path found nothing where a value is needed. The message says how far it got and what was there.',
  ),
  'not-a-number': problem('A text that was to be read as a number is none.'),
  'not-a-time': problem('A value that was to be read as a time is none.'),
  'not-a-url': problem('A text that was to be read as a URL is none.'),
  'not-a-pointer': problem('A text that was to be read as a JSON Pointer is none.'),
  'not-encoded': problem('A text is not in the encoding that was to be undone.'),
  'not-text': problem('Bytes that were to be read as text are not UTF-8.'),
  'not-json': problem('A value has no form in JSON.'),
  'json-invalid': problem('A text that should be JSON is not.'),
  'json-too-deep': problem('JSON is nested more than 500 levels deep.'),
  'division-by-zero': problem('A number is divided by zero. There is no infinity.'),
  'number-too-long': problem('Arithmetic works with at most 1,000 digits.'),
  'too-many-nodes': problem('One evaluation visits at most 10 million nodes.'),
  'list-too-long': problem('An expression makes lists of at most a million items.'),
  'text-too-long': problem('An expression makes texts of at most 64 MiB.'),
  // files
  yaml: problem(
    'The file is not YAML 1.2, or uses a part of YAML that has no meaning here (tags, merge keys, a second document).',
  ),
  'yaml-trap': problem(
    'YAML reads an expression otherwise than it was meant. The line below `hint` is how it should stand; `check --fix` writes it.',
  ),
  'unknown-key': problem('The key has no meaning where it stands.'),
  'missing-key': problem('A key that must be there is missing.'),
  'wrong-form': problem(
    'A value has not the form that its key wants: a text, a list, a map, one of some words.',
  ),
  'name-invalid': problem(
    'A name is a letter, then letters, digits and _. Words of the language are not names.',
  ),
  'given-name': warn(
    'The chain gives a name that the language gives as well. In the whole chain it means what the chain calls so; response.NAME is that of a response.',
  ),
  'name-twice': problem('A name is defined twice. Nothing hides anything.'),
  'cursor-as-address': warn(
    'What leads to the next page as an address looks like a cursor, which is a parameter.',
  ),
  'query-as-value': warn('A whole query is inserted into a URL, where it is encoded as one value.'),
  'length-as-member': warn(
    'A member called length is compared, where mostly how long something is was meant.',
  ),
  'blank-in-path': warn('A blank stands beside a / or ? in the path of a call, where it is hardly meant.'),
  'unknown-method': warn(
    'The method is none of those that are registered for HTTP, and much like one of them.',
  ),
  'unknown-service': problem('The project file describes no service of this name.'),
  'unknown-credential': problem('The project file describes no credential of this name.'),
  'unknown-environment': problem('The project file describes no environment of this name.'),
  'environment-needed': problem(
    'The project has more than one environment and no default, so one must be chosen.',
  ),
  'expression-in-text': either('An expression is written in a text field, where it is only text.'),
  'index-in-each-item': warn('An index follows a filter or a slice, and looks into each item that it found.'),
  'path-in-quotes': warn('A path stands in quotes within an expression, so it is a text like others.'),
  'item-not-used': warn(
    'A condition says nothing of what it is asked of: the items of a list, or the requests that arrive.',
  ),
  'comment-in-text': warn('A text seems to go on after " #", where YAML begins a comment.'),
  'sign-in-text': warn('A quote, a bracket or a semicolon that looks like a slip would be a part of a text.'),
  'json-in-text': warn('A text that reads as JSON stands where JSON is made of what stands there.'),
  'file-in-text': warn('The name of a file that is there stands where a text is sent.'),
  'text-in-expression': problem('An insertion ${…} is written in a field that is already an expression.'),
  'secret-in-plain-text': either('A key, a token or a password stands readable in a file.'),
  'secret-not-here': either('A secret stands only in texts of the project file and in texts that are sent.'),
  'unused-input': warn('Nothing uses the input.'),
  'chain-circle': problem('A chain follows itself, by way of other chains or at once.'),
  'not-sent-again': warn(
    'A request was not sent again, since the service may have processed it. `idempotency: yes` or `repeatable: yes` on the call allows it.',
  ),
  'next-page': warn('A response says that there is a next page, and the step takes one page only.'),
  unreachable: either('A step can never be carried out, or an expectation never fail.'),
  'encoded-twice': warn('percent(…) stands where what is inserted is percent-encoded anyway.'),
  'parameter-twice': problem('A name is set both in the URL and under query.'),
  'file-not-text': problem('A file that a person wrote is neither UTF-8 nor UTF-16 with a byte order mark.'),
  'file-not-found': incomplete("The file does not exist or can't be read."),
  'not-a-description': problem(
    "A file that should describe a service can't be read as JSON or YAML, or is not of OpenAPI 3.0, 3.1 or 3.2.",
  ),
  'no-description': problem('There is no description of the service, or no such operation in it.'),
  'description-not-fetched': incomplete(
    'The address of a description answered otherwise than with 200. A credential is never sent there.',
  ),
  'description-missing': warn(
    'The description of a service was never fetched. `batharon calls SERVICE --renew` fetches it.',
  ),
  'description-altered': warn('The kept copy of a fetched description was changed by hand.'),
  'description-flawed': warn(
    "Parts of a description can't be used as they are written. `batharon calls SERVICE --warnings` lists them.",
  ),
  'not-described': either(
    'The description of the service knows no such operation, parameter, status, header or member.',
  ),
  'not-as-described': either('What is sent, or what came, is not as the description of the service says.'),
  'proxy-refused': incomplete("A proxy can't be reached, or does not let the request through."),
  'locked-unreadable': problem("What was locked can't be opened with the key of this user."),
  'xml-invalid': problem('A text is no XML, or XML or HTML is nested too deep.'),
  'selector-invalid': problem('A selector for css(…) is none of CSS.'),
  'no-such-form': problem('A page of HTML has no form of this name, or several, or none at all.'),
  'namespace-hides': warn(
    'XPath found nothing in XML whose elements are in a namespace without a prefix. A prefix of your own finds them.',
  ),
  'xpath-invalid': problem('An expression for xpath(…) is not XPath 3.1, or failed on what it was given.'),
  'not-verified': warn('The certificate of a service is not looked at, as tls: { verify: no } says.'),
  'file-not-written': incomplete("A file can't be written."),
  'row-not-fitting': either(
    'A row does not fit the file it is written into: a column that the file does not have, several rows that could be meant, or a file that is not of rows.',
  ),
  'cannot-add': problem('A file is written in a way that has no place for what is to be added.'),
  'not-answered': incomplete('A question has no answer: nobody could be asked, and it has no default.'),
  'no-such-case': problem('No iteration that the run came to has the title that --case names.'),
  'no-such-step': either('The chain has no step of this name.'),
  'no-record': problem('No run is recorded that could tell what is asked for.'),
  'record-unreadable': problem(
    "The record of a run can't be read: it was damaged, or a newer version wrote it.",
  ),
  'not-recorded': incomplete('A request has no response in the recorded run that is replayed.'),
  'not-sent': problem(
    'A request that may change something at a service is not sent while a file is watched, unless `--send` says so.',
  ),
  'cannot-resume': problem("A run can't be gone on with from where it ended."),
  'sent-before': incomplete(
    'A request that may be sent only once was sent before the run was resumed, and would be sent again or is another one now.',
  ),
  'import-unreadable': problem("What is to be imported can't be read as what it was said to be."),
  'plain-http': problem('A credential would be sent over plain HTTP to another machine.'),
  'secret-moved': either('An environment moves a service to another origin and leaves the secret it uses.'),
  // a run
  'bad-insertion': problem(
    'A value would break what it is inserted into: an empty segment of a path, a line break in a field.',
  ),
  'secret-missing': problem('A secret has no value where the project file says it comes from.'),
  'not-trusted': problem(
    'A project file makes commands run, or files outside its folder be read, and nobody has agreed to that yet; or other users may write it.',
  ),
  'secret-too-short': either(
    'A secret has fewer than 6 characters: it is masked where it is inserted, but not where it occurs elsewhere. In a path or a text nothing tells where that is, so there it is refused.',
  ),
  'input-missing': problem('An input without a default was not given.'),
  'input-invalid': problem("A given input can't be read as its kind, or is not what it must be."),
  guarded: incomplete(
    'A request may change something, and `guard` of the project in this environment keeps from sending it.',
  ),
  'other-origin': problem(
    'An address leads to another origin than that of its service, and the step names no credential for it.',
  ),
  'secret-elsewhere': incomplete(
    'A redirect leads to another origin, and the body that would be sent there again holds a secret.',
  ),
  'not-a-duration': problem('A setting that is a duration came out as something else.'),
  'not-as-expected': problem('An expectation did not hold.'),
  'status-not-expected': problem('A call that says nothing of status expects one below 400.'),
  'response-not-as-typed': problem('The body of a response is not what its content type, or read-as, says.'),
  'not-a-list': problem('each needs a list, but this is none.'),
  'not-a-count': problem('A setting that is a whole number came out as something else.'),
  'too-few-iterations': problem('Fewer iterations of a loop passed than `at-least` says.'),
  'page-repeats': warn('A response links to a page that was already read, so reading stopped there.'),
  'poll-given-up': problem('The condition `give-up-when` of a poll passed.'),
  'poll-unforeseen': problem(
    'A poll met a state for which neither `until` nor `while` holds, so nobody has said what it means.',
  ),
  'poll-out-of-time': problem('A poll reached its bound `within` before its condition passed.'),
  'stream-ended': problem(
    'A response that is read bit by bit ended before the condition of its stream held.',
  ),
  'stream-out-of-time': problem('A stream reached its bound `within` before its condition held.'),
  'stream-silent': problem('Nothing came in a stream for longer than its bound `quiet`.'),
  'live-empty': warn('`live` of a stream is to show a text while it comes, and no item gave one.'),
  'not-signed': warn('A callback was not signed with the key of the credential that signed-by names.'),
  'callback-ignored': warn('A callback came that nothing waited for any more.'),
  // bounds
  'bound-reached': incomplete(
    'A bound was reached: the iterations of a loop, the pages of a list, or a time. `up-to` and `within` set it.',
  ),
  'retry-after-too-long': incomplete(
    'A service asked to retry later than the call waits at most, or more often than ten times. `retry: { retry-after: … }` sets how long that is.',
  ),
  'retry-after-unclear': warn(
    "A service says to come back, in a way that can't be obeyed: at once, in the past, or unreadably. At least a second is waited.",
  ),
  defect: ofOurOwn(
    'Something went wrong in Batharon itself. What the run had made was taken back, it is recorded, and `resume` goes on with it.',
  ),
  'budget-used-up': incomplete(
    'The budget of calls of a service is used up, or would not do for what is to be sent.',
  ),
  'ledger-unreadable': incomplete(
    "The file in which the calls of a budget are counted can't be read or written.",
  ),
  'team-away': incomplete(
    'What the machines of the team share was away for longer than a run waits. Nothing is lost: `resume` goes on once it is back.',
  ),
  'outcome-unknown': incomplete(
    'A worker was lost after it had sent a request that may be sent only once, so that it is not known whether it was processed. `resume` asks.',
  ),
  'no-worker': incomplete('Work was given to workers, and none took it within the time.'),
  'team-missing': problem('A command needs `team:` in the project file.'),
  'worker-refused': problem(
    'A worker takes no work of a project: it lacks a secret, has other files, does not trust it, or is of another version.',
  ),
  'no-callback': incomplete('The request that was waited for did not come in within the time.'),
  'listener-failed': incomplete("The listener for callbacks can't be opened."),
  // no response
  'time-limit': incomplete(
    'A request reached one of its time limits: to connect, until the response begins, or in all.',
  ),
  'connection-refused': incomplete('Nothing listens at this address.'),
  'connection-reset': incomplete('The connection was broken off before the response was complete.'),
  'unknown-host': incomplete("The name of the host can't be found."),
  'host-unreachable': incomplete('No way leads to the host.'),
  'tls-failed': incomplete(
    'The service and the client could not agree on TLS. Some services refuse a client without a certificate so; others close the connection.',
  ),
  'certificate-refused': incomplete(
    'The certificate of the service is not to be trusted: expired, of another name, or from an unknown authority.',
  ),
  'not-http': incomplete('What answered does not speak HTTP.'),
  'body-too-large': incomplete('The body of a response is larger than 64 MiB.'),
  'body-broken': incomplete("The body of a response can't be decoded as its Content-Encoding says."),
  'coding-unknown': warn(
    'The body of a response is in a content coding that is not known here. It is passed on as it came.',
  ),
  'headers-too-large': incomplete('The head of a response is larger than the bound.'),
  'too-many-redirects': incomplete('A request was redirected more than 5 times.'),
  'redirect-invalid': incomplete('A redirect leads nowhere, or away from HTTP.'),
  'no-response': incomplete('The request failed in a way that has no name of its own here.'),
  'sign-in-refused': incomplete('The service did not accept the credential.'),
  'sign-in-failed': incomplete('The token endpoint did not answer as RFC 6749 says.'),
  interrupted: problem('The run was interrupted.'),
} satisfies Record<string, Code>;

type Codes = typeof problemCodes;
type OfLevel<L extends Code['level']> = {
  [K in keyof Codes]: Codes[K]['level'] extends L ? K : never;
}[keyof Codes];

/** What stops a step or a file. */
export type ProblemCode = OfLevel<'problem' | 'either'>;
/** What is only said. */
export type WarningCode = OfLevel<'warning' | 'either'>;

/** The exit code of a run that ends with a problem; 1 for a code that another version wrote. */
export function exitOf(code: string): Code['exit'] {
  return Object.hasOwn(problemCodes, code) ? problemCodes[code as ProblemCode].exit : 1;
}
