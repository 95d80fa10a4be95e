// What an expression or an insertion in a text may have been meant as, where it is written as elsewhere.

/** A text that may have been meant, and what then was wrong with the one that is there. */
export interface ValueSlip {
  readonly why: string;
  readonly text: string;
  readonly isPlain?: true;
}

/** What stands for the response, a member, an item or an element elsewhere, as one rewriting each. */
const REWRITTEN: readonly (readonly [pattern: RegExp, text: string, why: string, isPlain?: true])[] = [
  [
    /\$(?:response|resp?|body|answer|reply|payload)\.(?:body\.|data\.|json\.)?(?=[A-Za-z_])/g,
    '$.',
    'the response is $, and its members $.name',
    true,
  ],
  [/(\$[\w.[\]*]*)\/(\w+)((?:\[[\d*]+\])?)\/(\w+)/g, '$1.$2$3.$4', 'a member stands behind a point', true],
  [/\$\/(\w+)((?:\[[\d*]+\])?)\/(\w+)/g, '$.$1$2.$3', 'a member stands behind a point', true],
  [/\.at\((-?\d+)\)/g, '[$1]', 'an item is [number], counted from 0', true],
  [/\[(?:1\.\.n?|0\.\.n?|0\.\.-1|1-n|i|n)\]/g, '[*]', 'all items are [*]', true],
  [/\[\*\]\.\[\?/g, '[?', 'items are chosen by [?@.member …]', true],
  [
    /(?<=[\w\])])\[\.([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^\])]*)\]/g,
    '[?@.$1]',
    'items are chosen by [?@.member …]',
    true,
  ],
  [
    /(?:\$\.?|\b)(?:response|res|resp|answer|result|reply|body|json|data|payload)(?:\(\)|\.(?:body|data|json|content)(?:\(\))?)*\.(?=[A-Za-z_[])/g,
    '$.',
    'the response is $, and its members $.name',
  ],
  [
    /(?<![\w$@.\])])(?:[#%€§~^]|\$\$|\$\.\$|\$:|\$->|\$\/|\$\s+\.|\$\.\s+|\$\.\.\.|->)\.?(?=[A-Za-z_])/g,
    '$.',
    'a member of the response is $.name',
  ],
  [/\$\.\.(?=[A-Za-z_])/g, '$.', 'a member of the response is $.name'],
  [/(["'])(\$\.[\w.[\]*]+)\1/g, '$2', 'a path stands without quotes'],
  [
    /\$\[(['"]?)([A-Za-z_]\w*)\1\]|\{\{\s*([A-Za-z_]\w*)\s*\}\}/g,
    '$.$2$3',
    'a member of the response is $.name',
  ],
  [/\b([a-z]\w*)\s+\(/g, '$1(', 'no blank stands between a function and its ('],
  [/\$\.\s*(['"])([\w-]+)\1/g, '$.$2', 'a member of the response is $.name'],
  [/\$\(\.?([A-Za-z_][\w.[\]*]*)\)/g, '$.$1', 'a member of the response is $.name'],
  [
    /(\$[\w.[\]*]*)\.get\((['"])([\w-]+)\2\)|\bget\((\$[\w.[\]*]*),\s*(['"])([\w-]+)\5\)/g,
    '$1$4.$3$6',
    'a member of the response is $.name',
  ],
  [
    /\b(?:JSON\.parse|jsonpath|json_path|jmespath|parse|str|String|text|value|get|eval)\((\$[^()]*)\)/g,
    '$1',
    'nothing has to be done to a member to read it',
  ],
  [
    /\b(?:jq|jsonpath|path|xpath|jp)\((['"])\$?\.?([\w.[\]*]+)\1\)/g,
    '$.$2',
    'a member of the response is $.name',
  ],
  [/(?<=[\w\])])\s*->\s*(?=[A-Za-z_])/g, '.', 'a member stands behind a point'],
  [/(?<=[\w\])])\?\.(?=[A-Za-z_])/g, '.', 'a member stands behind a point'],
  [/(?<=[\w\])])\.(?=[)\s,]|$)/g, '', 'no point stands at the end of a path'],
  [/(?<=[\w\])])[?!;](?=[)\s,]|$)/g, '', 'nothing stands behind a path'],
  [/(?<=[\w\])]) as \w+\b/g, '', 'the name stands before the colon'],
  [/\$?\{\{?\s*([^{}]*?)\s*\}?\}/g, '$1', 'in an expression a name stands by itself, without ${ }'],
  [/\$([A-Za-z_]\w*)/g, '$1', 'a name stands by itself, without $'],
  [/\$([A-Za-z_]\w*)/g, '$.$1', 'a member of the response is $.name'],
  [/(?<![\w.$@])@([A-Za-z_]\w*)/g, '$1', 'a name stands by itself, without @'],
  [/@(?=[A-Za-z_])/g, '@.', 'a member of the item is @.name'],
  [
    /\[(?:\s*|:|all|any|each|n|i|#|\*\*|\.\.\.|\$|\?|@|1\.\.n|0\.\.n|0\.\.|-)\]|\[\*(?!\])|\(\*\)|\{\*\}|\.\[\*?\]|\.(?:#|\*|all|each|forEach|map)(?=\.)|(?<!\[)\*\]/g,
    '[*]',
    'all items are [*]',
  ],
  [
    /\((\d+)\)|\.(\d+)(?=\.|\)|\s|$)|\{(\d+)\}|\[#(\d+)\]|\[\[(\d+)\]\]|#(\d+)|\.at\((\d+)\)|\.\[(\d+)\]|<(\d+)>|\/(\d+)|\["(\d+)"\]|\[(\d+)(?!\d|\])|\[(\d+)\.0\]/g,
    '[$1$2$3$4$5$6$7$8$9$10$11$12$13]',
    'an item is [number], counted from 0',
  ],
  [/\[(?:first|1st)\]|\.first(?:\(\))?|\[-0\]/g, '[0]', 'the first item is [0]'],
  [/\.last(?:\(\))?|\[last\]|\[\$\]/g, '[-1]', 'the last item is [-1]'],
  [
    /(?:\[\*\])?\.?\[[?:]?\s*\(?\s*(?:where|if)?\s*\??\(?(?:[@$]|this|it|item|x|_)?\.?\s*\??([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^\])]*)\)?\]/g,
    '[?@.$1]',
    'items are chosen by [?@.member …]',
  ],
  [
    /\.(?:filter|where|find|select|findAll|filterBy)\((?:\w+\s*=>\s*\w+|[@$]|it|this)?\.?([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^)]*)\)|\s(?:where|if|such that|with)\s+@?\.?([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b).*)$|[{(]\?@?\.?([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^)}]*)[)}]/g,
    '[?@.$1$2$3]',
    'items are chosen by [?@.member …]',
  ],
  [/\b([a-z][\w-]*)\s*[[{<]\s*([^[\]{}<>]+)\s*[\]}>]/g, '$1($2)', 'what a function is given stands in ( )'],
  [/\b([a-z][\w-]*)\s*:\s*(\$?[\w.[\]*]+)/g, '$1($2)', 'what a function is given stands in ( )'],
  [
    /(\$?[\w.[\]*]+)\s*(?:\|>?|->|\.)\s*([a-z]\w*)(?:\(\))?(?![\w(.])/g,
    '$2($1)',
    'a function stands before what it is given',
  ],
  [
    /(\$?[\w.[\]*]+)\s*(?:\|>?|->|\.)\s*([a-z]\w*)\(([^()]+)\)/g,
    '$2($1, $3)',
    'a function stands before what it is given',
  ],
  [/\b(?:the\s+)?([a-z]\w*)\s+of\s+(\$?[\w.[\]*]+)/g, '$1($2)', 'what a function is given stands in ( )'],
  [
    /\b([a-z]\w*)\s+(\$[\w.[\]*]+|[A-Za-z_]\w*)(?=\s*(?:[<>=!]|$))/g,
    '$1($2)',
    'what a function is given stands in ( )',
  ],
  [
    /\b(?:Math|_|fn|lodash|fns?|utils?|str|String|Array|Object|JSON|Number|date|list)\.([a-z]\w*)\(/g,
    '$1(',
    'a function stands by itself',
  ],
  [/\b([a-z]\w*)(?=\$\.)/g, '$1(', 'what a function is given stands in ( )'],
  [/[$@#.]([a-z]\w*)\(/g, '$1(', 'a function stands by itself'],
  [/\)\(\)|\(\)/g, ')', 'no further ( ) stand here'],
  [/,\s*\)/g, ')', 'no comma stands before )'],
  [/\|([^|]+)\||(?<![\w$@.\])])#(\$?[\w.[\]*]+)/g, 'length($1$2)', 'the length of a value is length(value)'],
  [/\(\s*\(([^()]*)\)(?!\))/g, '($1)', 'there is one ( too many'],
  [/\)\)(?=\s|$)/g, ')', 'there is one ) too many'],
  [/^(?:not|!)\s*\(?(.*?)\)?$/g, '!($1)', 'not is written !'],
  [/&gt;/g, '>', '&gt; is written >'],
  [/&lt;/g, '<', '&lt; is written <'],
  [/&amp;/g, '&', '&amp; is written &'],
];

/** Signs and words for a comparison or a junction. */
const OPERATORS: readonly (readonly [pattern: RegExp, sign: string])[] = [
  [
    /\s+(?:is\s+|to\s+be\s+)?(?:not\s+equal(?:s)?(?:\s+to)?|isn't|is\s+not|not|ne|differs\s+from|unlike|=!|!|~=|!~|\^=|<>|!==|≠|-ne)\s+/gi,
    ' != ',
  ],
  [
    /\s+(?:should\s+|must\s+)?(?:(?:is\s+|be\s+)?equals?(?:\s+to)?|is|be|to\s+be|should\s+be|eq|-eq|= =|== ==|===|=|:=|=:|~|\?=|=~|->|→|≡|≈|:)\s+|\s*:\s+/gi,
    ' == ',
  ],
  [
    /\s+(?:is\s+|be\s+)?(?:at\s+least|no\s+less\s+than|not\s+less\s+than|gte|ge|-ge|≥|=>|> =|>==|min)\s+/gi,
    ' >= ',
  ],
  [
    /\s+(?:is\s+|be\s+)?(?:at\s+most|no\s+more\s+than|not\s+more\s+than|up\s+to|lte|le|-le|≤|=<|< =|<==|max)\s+/gi,
    ' <= ',
  ],
  [
    /\s+(?:is\s+|be\s+)?(?:greater(?:\s+than)?|more(?:\s+than)?|larger(?:\s+than)?|bigger(?:\s+than)?|later\s+than|after|over|above|gt|-gt|>>|≥|=>|is >)\s+/gi,
    ' > ',
  ],
  [
    /\s+(?:is\s+|be\s+)?(?:less(?:\s+than)?|smaller(?:\s+than)?|fewer(?:\s+than)?|earlier\s+than|before|under|below|lt|-lt|<<|≤|=<|is <)\s+/gi,
    ' < ',
  ],
  [/\s*(?:\band\s+also\b|\band\b|\bbut\b|&&&+|&& &&|(?<!&)&(?!&)|∧|\s-a\b|[,;+])\s+/gi, ' && '],
  [/\s*(?:\bor\s+else\b|\bor\b|\|\|\|+|(?<!\|)\|(?!\|)|∨|\s-o\b|[,;/])\s+/gi, ' || '],
  [
    /\s+(?:is\s+)?(?:(?:any|one|either)\s+of|in|within|among|amongst|of|is\s+in|in:|in\s+list|∈|=~|== any|contained\s+in|from|between)\s+/gi,
    ' in ',
  ],
];

/** What stands for `${name}` elsewhere. */
const INSERTED: readonly RegExp[] = [
  /(?<!\$\{[^{}]*)["']?[%<@:*~#[({=&!?+]*\s*(\$\.[\w.[\]*]+)\s*[%>\])}?!:;]*["']?/g,
  /(?<!\$\{[^{}]*)\$?\{\{\{?\s*\$?\.?([\w.$[\]*()]+?)\s*\}?\}\}?/g,
  /(?<!\$\{[^{}]*)[$#%@]?\{\s*[$@]?\s*([\w.$[\]*()]+?)\s*\}/g,
  /(?<!\$\{[^{}]*)\$?\(\s*([A-Za-z_$][\w.$[\]*()]*?)\s*\)/g,
  /(?<!\$\{[^{}]*)\$?\[\[?\s*\$?([\w.$]+?)\s*\]?\]/g,
  /(?<!\$\{[^{}]*)<%?=?\s*\$?([\w.$[\]*()]+?)\s*%?>/g,
  /(?<!\$\{[^{}]*)%([A-Za-z_][\w.$[\]*()]*?)%/g,
  /(?<=[/\s=]|^)[:$@*~#%&!]([A-Za-z_][\w.]*)/g,
  /(?<!\$\{[^{}]*)\$([\w.]+)\}/g,
  /(?<!\$\{[^{}]*)"?\s*\+\s*([\w.$[\]*()]+?)\s*\+\s*"?/g,
  /(?<!\$\{[^{}]*)\\\$\{([\w.$[\]*()]+?)\}/g,
  /\$\{\s*["'$]+([\w.$[\]*()]+?)["']?\s*\}/g,
  /\$\{\s*([\w.$[\]*()]+?)\s*(?:[!?;,.:]+|:?-[^}>]*|\?\?[^}]*|\bor\b[^}]*)\}/g,
  /\$\{\s*(?:inputs?|vars?|variables?|env|this|self|params?|args?|context|ctx|state|data|globals?|values?|steps|get\(|var\()\.?([\w.$[\]*]+?)\)?\s*\}/g,
  /\$\{([\w.$[\]*()]+?)\}[)}\]]+/g,
  /\$\{([\w.$[\]*()]+?)\}\$\{/g,
  /\$\{([\w.$[\]*()]+?)(?=[^\w.$[\]*()}]|$)/g,
];

/** In braces a value with an insertion stands in quotes. */
function quotedAsNeeded(text: string, before: string): string {
  return /^[{[]/.test(before) ? text.replace(/(?<=[:,[]\s*)(\$\{[^{}"]*\})(?=\s*[,}\]])/g, '"$1"') : text;
}

/** What an expression may have been meant as. */
export function expressionSlips(value: string): readonly ValueSlip[] {
  const slips: ValueSlip[] = [];
  for (const [pattern, text, why, isPlain] of REWRITTEN) {
    const changed = value.replace(pattern, text);
    if (changed !== value) slips.push({ why, text: changed, ...(isPlain ? { isPlain } : {}) });
  }
  for (const [pattern, sign] of OPERATORS)
    for (const { index, 0: found } of value.matchAll(pattern)) {
      const after = value.slice(index + found.length);
      if (sign !== ' in ' && /^\[(?![*?])/.test(after)) continue;
      slips.push({
        why: `${found.trim()} is written ${sign.trim()}`,
        text: value.slice(0, index) + sign + after,
      });
    }
  const [, first, rest] = AROUND_CONDITION.exec(value) ?? [];
  const [, before] = /^(.*\S)\s+(?:or|else|otherwise|please|then)\s+\w+$/.exec(value) ?? [];
  for (const text of [first === '' ? undefined : rest?.replace(/\)$/, ''), rest && first! + rest, before])
    if (text) slips.push({ why: 'a condition stands by itself', text });
  return slips;
}

/** Words before a condition. */
const AROUND_CONDITION =
  /^(?:(?:that|assert|check|expect|expects|ensure|verify|require|it|the|then|should|must)\b\s*)+(\(?)(.*)$/i;

/** What a text with something inserted may have been meant as. */
export function insertionSlips(value: string): readonly string[] {
  return INSERTED.flatMap((pattern) => {
    const text = quotedAsNeeded(value.replace(pattern, '${$1}'), value);
    return [text, text.replace(/\$\{(\w+)\}/g, (name) => name.toLowerCase())].filter((one) => one !== value);
  });
}
