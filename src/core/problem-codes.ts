/**
 * Every code that a problem can carry, with what it means. A code is never renamed: people search for it.
 * `explain CODE` prints these texts.
 */
export const problemCodes = {
  // expressions, before anything runs
  'bad-syntax':
    'The expression is not written as the grammar wants it. The caret stands where reading stopped.',
  'too-long': 'An expression has at most 10,000 characters.',
  'too-deep': 'An expression has at most 100 levels of brackets and 500 operators.',
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
  'not-yes-or-no':
    'A condition is true or false, and this value is neither. No other value counts as true or false.',
  'may-be-nothing':
    'A name that some way through the chain leaves without a value is used as if it always had one.',
  'no-answer-here': '$ is the answer of the step it stands in, and there is none here.',
  'no-item':
    '@ stands only inside a filter, or in the second argument of any, every, map, sort, min, max, unique and group.',
  'function-not-here': 'raw stands only in a URL, hidden only in keep, both as the whole expression.',
  'pattern-invalid': 'A pattern is not of RFC 9485.',
  'pattern-too-large': 'A pattern needs more states than the bound allows.',
  'date-pattern-invalid': 'A date pattern has a letter that means nothing.',
  // expressions, on what came
  'found-nothing':
    'A path found nothing where a value is needed. The message says how far it got and what was there.',
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
  // files
  yaml: 'The file is not YAML 1.2, or uses a part of YAML that has no meaning here (tags, merge keys, a second document).',
  'yaml-trap':
    'YAML reads an expression otherwise than it was meant. The line below `instead` is how it should stand; `check --fix` writes it.',
  'unknown-key': 'The key has no meaning where it stands.',
  'missing-key': 'A key that must be there is missing.',
  'wrong-form': 'A value has not the form that its key wants: a text, a list, a map, one of some words.',
  'name-invalid': 'A name is a letter, then letters, digits and _. Words of the language are not names.',
  'name-twice': 'A name is defined twice. Nothing hides anything.',
  'unknown-service': 'The project file describes no service of this name.',
  'unknown-credential': 'The project file describes no credential of this name.',
  'unknown-secret': 'The project file describes no secret of this name.',
  'unknown-environment': 'The project file describes no environment of this name.',
  'environment-needed': 'The project has more than one environment and no default, so one must be chosen.',
  'expression-in-text': 'An expression stands in a field for text, where it is only text.',
  'text-in-expression': 'An insertion ${…} stands in a field that is an expression already.',
  'secret-in-plain-text': 'A key, a token or a password stands readable in a file.',
  'secret-not-here': 'A secret stands only in texts of the project file and in texts that are sent.',
  'unused-input': 'Nothing uses the input.',
  'chain-circle': 'A chain follows itself, by way of other chains or at once.',
  'not-sent-again':
    'A request was not sent again, since the service may have processed it. `idempotency: yes` or `repeatable: yes` on the call allows it.',
  'next-page': 'An answer says that there is a next page, and the step takes one page only.',
  unreachable: 'A step can never be carried out, or an expectation never fail.',
  'encoded-twice': 'percent(…) stands where what is inserted is percent-encoded anyway.',
  'parameter-twice': 'A name stands both in the URL and under query.',
  'file-not-found': 'The file does not exist or can’t be read.',
  'proxy-refused': 'A proxy can’t be reached, or does not let the request through.',
  'locked-unreadable': 'What was locked can’t be opened with the key of this user.',
  'xml-invalid': 'A text is no XML, or is nested too deep.',
  'xpath-invalid': 'An expression for xpath(…) is not XPath 3.1, or failed on what it was given.',
  'not-verified': 'The certificate of a service is not looked at, as tls: { verify: no } says.',
  'file-not-written': 'A file can’t be written.',
  'row-not-fitting':
    'A row does not fit the file it is written into: a column that the file does not have, several rows that could be meant, or a file that is not of rows.',
  'cannot-add': 'A file is written in a way that has no place for what is to be added.',
  'no-such-step': 'The chain has no step of this name.',
  'no-record': 'No run is recorded that could tell what is asked for.',
  'record-unreadable': 'The record of a run can’t be read: it was damaged, or a newer version wrote it.',
  'not-recorded': 'A request has no answer in the recorded run that is replayed.',
  'not-sent':
    'A request that may change something at a service is not sent while a file is watched, unless `--send` says so.',
  'cannot-resume': 'A run can’t be gone on with from where it ended.',
  'sent-before':
    'A request that may be sent only once was sent before the run was resumed, and would be sent again or is another one now.',
  'import-unreadable': 'What is to be imported can’t be read as what it was said to be.',
  'plain-http': 'A credential would go over plain http to another machine.',
  'secret-moved': 'An environment moves a service to another origin and leaves the secret it uses.',
  // a run
  'bad-insertion':
    'A value would break what it is inserted into: an empty segment of a path, a line break in a field.',
  'secret-missing': 'A secret has no value where the project file says it comes from.',
  'not-trusted':
    'A project file makes commands run, or files outside its folder be read, and nobody has agreed to that yet; or other users may write it.',
  'secret-too-short':
    'A secret has fewer than 6 characters: it is masked where it is put, and not where it stands elsewhere. In a path or a text nothing tells where that is, so there it is refused.',
  'input-missing': 'An input without a default was not given.',
  'input-invalid': 'A given input can’t be read as its kind, or is not what it must be.',
  'other-origin':
    'An address leads to another origin than that of its service, and the step names no credential for it.',
  'secret-elsewhere':
    'A redirect leads to another origin, and the body that would be sent there again holds a secret.',
  'not-a-duration': 'A setting that is a duration came out as something else.',
  'not-as-expected': 'An expectation did not hold.',
  'status-not-expected': 'A call that says nothing of status expects one below 400.',
  'answer-not-as-typed': 'The body of an answer is not what its content type, or read-as, says.',
  'not-a-list': 'each goes over a list, and this is none.',
  'not-a-count': 'A setting that is a whole number came out as something else.',
  'too-few-turns': 'Fewer turns of a loop held than `at-least` says.',
  'turn-broke': 'A turn of a loop failed.',
  'page-repeats': 'An answer leads to a page that was read already, so reading ended there.',
  'poll-given-up': 'The condition `give-up-when` of a poll held.',
  'poll-unforeseen':
    'A poll met a state for which neither `until` nor `while` holds, so nobody has said what it means.',
  'poll-out-of-time': 'A poll reached its bound `within` before its condition held.',
  'not-signed':
    'A request that called back is not signed with the key of the credential that signed-by names.',
  'call-back-left': 'A call-back came that nothing waited for any more.',
  'needs-failed-step': 'A step needs a name of a step that failed and was passed.',
  // bounds
  'bound-reached':
    'A bound was reached: the turns of a loop, the pages of a list, or a time. `up-to` and `within` set it.',
  'told-to-wait-too-long':
    'A service says to come back later than the call waits in all, or more often than ten times. `retry: { as-told: … }` sets how long that is.',
  'told-unclearly':
    'A service says to come back, in a way that can’t be obeyed: at once, in the past, or unreadably. At least a second is waited.',
  defect:
    'Something went wrong in Batharon itself. What the run had made was taken back, it is recorded, and `resume` goes on with it.',
  'budget-used-up': 'The budget of calls of a service is used up, or would not do for what is to be sent.',
  'ledger-unreadable': 'The file in which the calls of a budget are counted can’t be read or written.',
  'no-call-back': 'The request that was waited for did not come in within the time.',
  'listener-failed': 'The listener for call-backs can’t be opened.',
  // no answer
  'time-limit': 'A request reached one of its time limits: to connect, until the answer begins, or in all.',
  'connection-refused': 'Nothing listens at this address.',
  'connection-reset': 'The connection was broken off before the answer was complete.',
  'unknown-host': 'The name of the host can’t be found.',
  'host-unreachable': 'No way leads to the host.',
  'tls-failed':
    'The service and the client could not agree on TLS, or the service wants a certificate of the client.',
  'certificate-refused':
    'The certificate of the service is not to be trusted: expired, of another name, or from an unknown authority.',
  'not-http': 'What answered does not speak HTTP.',
  'body-too-large': 'The body of an answer is larger than 64 MiB.',
  'body-broken': 'The body of an answer can’t be decoded as its Content-Encoding says.',
  'headers-too-large': 'The head of an answer is larger than the bound.',
  'too-many-redirects': 'A request was redirected more than 5 times.',
  'redirect-invalid': 'A redirect leads nowhere, or away from HTTP.',
  'no-answer': 'The request failed in a way that has no name of its own here.',
  'sign-in-refused': 'The service did not accept the credential.',
  'sign-in-failed': 'The token endpoint did not answer as RFC 6749 says.',
  interrupted: 'The run was interrupted.',
} as const;

export type ProblemCode = keyof typeof problemCodes;
