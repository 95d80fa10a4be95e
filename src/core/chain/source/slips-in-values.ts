// What an expression or an insertion in a text may have been meant as, where it is written as elsewhere.

import { forEveryItem, lambdas, QUANTIFIED } from './slips-of-calls.ts';
import type { ValueSlip } from './slip.ts';

type Written = string | ((...found: (string | undefined)[]) => string);

/** Functions that other programs call otherwise. */
const CALLED: Readonly<Record<string, string>> = {
  count: 'length',
  size: 'length',
  avg: 'average',
  mean: 'average',
};

/** What stands for the response, a member, an item or a function elsewhere, as one rewriting each. */
const REWRITTEN: readonly (readonly [pattern: RegExp, text: Written, why: string, isPlain?: true])[] = [
  [/\blink\((["`]?)([a-z]+)\1\)/g, "link('$2')", "a relation is a text: link('next')", true],
  [
    /\$(?:response|resp?|body|answer|reply|payload)\.(?:body\.|data\.|json\.)?(?=[A-Za-z_])/g,
    '$.',
    'the response is $, and its members $.name',
    true,
  ],
  [/(\$[\w.[\]*]*)\/(\w+)((?:\[[\d*]+\])?)\/(\w+)/g, '$1.$2$3.$4', 'a member follows a dot', true],
  [/\$\/(\w+)((?:\[[\d*]+\])?)\/(\w+)/g, '$.$1$2.$3', 'a member follows a dot', true],
  [/\.at\((-?\d+)\)/g, '[$1]', 'an item is [number], counted from 0', true],
  [/\[(?:1\.\.n?|0\.\.n?|0\.\.-1|1-n|i|n)\]/g, '[*]', 'all items are [*]', true],
  [/\[\*\]\.\[\?/g, '[?', 'items are filtered by [?@.member …]', true],
  [
    /(?<=[\w\])])\[\.([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^\])]*)\]/g,
    '[?@.$1]',
    'items are filtered by [?@.member …]',
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
  [
    /([\w.$[\]*]+|\w+\([\w.$[\]*]+\))\s*(?:!==?|is not|not)\s*empty\b/g,
    (_, value = '') => `length(${value.replace(/^\w+\((.*)\)$/, '$1')}) > 0`,
    'how long a list or text is tells length(x)',
    true,
  ],
  [
    /([\w.$[\]*]+|\w+\([\w.$[\]*]+\))\s*(?:===?|is)\s*empty\b/g,
    (_, value = '') => `length(${value.replace(/^\w+\((.*)\)$/, '$1')}) == 0`,
    'how long a list or text is tells length(x)',
    true,
  ],
  [/([{,]\s*\w+:\s*)(\$[\w.]*)\[\]([\w.]*)(?=\s*[,}])/g, '$1"$2[*]$3"', 'all items are [*]'],
  [/(?<=\S) \?:(?= )/g, ' ??', 'a value in place of nothing follows ??'],
  [
    /([\w.$[\]*@]+)\s+(?:does not|doesn't|must not|should not|may not)\s+exist\b/g,
    'exists($1) == false',
    'whether there is something tells exists(x)',
  ],
  [/(?<=,\s*)(sha)-?(1|256|384|512)(?=\s*[,)])/gi, "'sha-$2'", 'a text stands in quotes', true],
  [/\b([A-Za-z]\w*)-([A-Za-z]\w*)\b/g, '$1_$2', 'a name has _ between its words'],
  [
    /\bstatus(\s*)(?:={1,3}|is|~=?|in|matches|like)\s*["']?([1-5])(?:\*+|\?\?|\.\.+|XX|__|--|\d[*xX])["']?(?=\s*(?:$|[)&|]))/g,
    'status == $2xx',
    'a class of statuses is written 2xx',
    true,
  ],
  [/((?:'[^']*'|"[^"]*"|[\w.)\]]))\s+(?=[A-Za-z_]\w*:\s)/g, '$1, ', 'a comma stands between two members'],
  [
    /\b(every|any)\(\s*([\w.$[\]*]+)\s+in\s+([\w.$[\]*]+)\s*\)/g,
    '$1($2, @ in $3)',
    'a condition follows the list, and @ is its item',
  ],
  [/\[(["'])([\w-]+)\]/g, '[$1$2$1]', 'a quote is closed'],
  [/\[([\w-]+)(["'])\]/g, '[$2$1$2]', 'a quote is opened'],
  [/(["'])(\$\.[\w.[\]*]+)\1/g, '$2', 'a path stands without quotes'],
  [
    /\$\[(['"]?)([A-Za-z_]\w*)\1\]|\{\{\s*([A-Za-z_]\w*)\s*\}\}/g,
    '$.$2$3',
    'a member of the response is $.name',
  ],
  [
    /^(\S+)\s+(?:is\s+)?(?:in|between|within|from)\s*[([]?\s*(\d[\w.]*?)\s*(?:\.\.\.?|-|,|and|to)\s*(\d[\w.]*?)\s*[)\]]?$/g,
    '$1 >= $2 && $1 <= $3',
    'a range has two comparisons',
  ],
  [
    /^(?:HTTP(?:\/[\d.]+)?|status(?:[ _-]?code)?|code|response)?\s*[:=]?\s*([1-5]\d\d)(?:\s+[A-Za-z][A-Za-z ]*)?$/gi,
    'status == $1',
    'the status is compared by its name',
  ],
  [
    /(?<!status\s*)(?<=[=<>]=?\s*)(\d+),(\d{1,2})$/g,
    '$1.$2',
    'a number has a point before its decimals',
    true,
  ],
  [
    /([\w.$@[\]'"*()-]+)\s*==\s*([^\s=]+?)\s*(?:,\s*|\s+or\s+|\s*\|\|?\s*)((?:['"][^'"]*['"]|[1-5]xx|\d+)(?:(?:,\s*|\s+or\s+|\s*\|\|?\s*)(?:['"][^'"]*['"]|[1-5]xx|\d+))*)$/g,
    (_, left, first, rest = '') =>
      `${left} in [${[first, ...rest.split(/\s*(?:,|\bor\b|\|\|?)\s*/)].join(', ')}]`,
    'one of several values is written in [a, b]',
    true,
  ],
  [
    /\b(?:add|plus|minus|sub|subtract)(Day|Hour|Minute|Second)s?\(\s*([\w.$[\]]+)\s*,\s*(-?)(\d+)\s*\)/gi,
    (...[found = '', unit = '', time = '', sign, count = '']) =>
      `${time} ${(sign === '-') === /^(?:add|plus)/i.test(found) ? '-' : '+'} ${count}${unit.charAt(0).toLowerCase()}`,
    'a duration is added to a time by +',
    true,
  ],
  [
    /(?<=\S)\.(?:equals?|eq|is|toBe|toEqual|equalTo|equalsIgnoreCase)\(((?:'[^']*'|"[^"]*"|[^()])*)\)/g,
    ' == $1',
    'values are compared with ==',
    true,
  ],
  [
    /(?<=\bin\s*)\[((?:(?:'[^']*'|"[^"]*"|[\w.-]+)\s+)+(?:'[^']*'|"[^"]*"|[\w.-]+))\]/g,
    (_, items = '') => `[${items.match(/'[^']*'|"[^"]*"|[\w.-]+/g)!.join(', ')}]`,
    'a comma separates one from the next',
    true,
  ],
  [/\byesterday\b(?:\(\))?/g, 'date(now() - 1d)', 'the day before is date(now() - 1d)', true],
  [/\btomorrow\b(?:\(\))?/g, 'date(now() + 1d)', 'the next day is date(now() + 1d)', true],
  [
    /\b(?:inputs?|vars?|variables?|params?|args?|env|ctx|context)\[(['"])(\w+)\1\]/g,
    '$2',
    'an input is its name alone',
    true,
  ],
  [
    /(\$?[\w.[\]*]+?)\.(?:toNumber|toInt|toInteger|toFloat|asNumber|asInt|int|float)\(\)/g,
    'number($1)',
    'number(x) makes a number of a text',
    true,
  ],
  [
    /\b(?:parseInt|parseFloat|Number|Int|Float)\(([^(),]*)(?:,\s*\d+)?\)/g,
    'number($1)',
    'number(x) makes a number of a text',
    true,
  ],
  [
    /(\$?[\w.[\]*]+?)\.(?:toString|asText|asString|str)\(\)/g,
    'text($1)',
    'text(x) makes a text of a value',
    true,
  ],
  [
    /^status\s+(?:is\s+|=\s+)?([1-5](?:\d\d|xx))((?:\s*(?:,|or|\/|\|)\s*[1-5](?:\d\d|xx))*)$/g,
    (_, first, rest = '') => {
      const all = [first, ...(rest.match(/[1-5](?:\d\d|xx)/g) ?? [])];
      return all.length === 1 ? `status == ${first ?? ''}` : `status in [${all.join(', ')}]`;
    },
    'a comparison has its sign, == or in',
  ],
  [/\bin\s*[{(]([^{}()]*)[})]/g, 'in [$1]', 'a list goes in [ ]', true],
  [
    /^(?:ok|success(?:ful)?|passed|works|no error)$/gi,
    'status < 400',
    'the status says whether a call has succeeded',
    true,
  ],
  [/(?<=[\w\])])\.first(?:\(\))?(?=\.)/g, '[0]', 'the first item is [0]', true],
  [/(?<=[\w\])])\.last(?:\(\))?(?=\.)/g, '[-1]', 'the last item is [-1]', true],
  [/^\+\s*([A-Za-z_$][\w.[\]*]*)$/g, 'number($1)', 'number(x) makes a number of a text', true],
  [
    /(?<=\$\{)\s*\+\s*([A-Za-z_$][\w.[\]*]*)\s*(?=\})/g,
    'number($1)',
    'number(x) makes a number of a text',
    true,
  ],
  [
    /(?<![\w$.])([A-Za-z_$][\w.$[\]*]*)\.(sum|max|min|length|count|size|average|avg|mean|median)\b(?!\s*[.([])/g,
    (_, list, name = '') => `${CALLED[name] ?? name}(${list})`,
    'a function comes before its arguments: f(x)',
    true,
  ],
  [
    QUANTIFIED,
    forEveryItem,
    'every(list, condition) and any(list, condition) ask of items, and @ is each of them',
  ],
  [
    /^[[(]?\s*for(?:\s+each)?\s+(\w+)\s+(?:in|of)\s+(\$?[\w.[\]*]+?)\s*[:,]?\s*(?:do\s+|yield\s+|return\s+)?\1\.([A-Za-z_][\w.]*)\s*[\])]?$/g,
    '$2[*].$3',
    'a member of all items is list[*].member',
    true,
  ],
  [
    /^[[(]?\s*(\w+)\.([A-Za-z_][\w.]*)\s+for\s+\1\s+in\s+(\$?[\w.[\]*]+?)\s*[\])]?$/g,
    '$3[*].$2',
    'a member of all items is list[*].member',
    true,
  ],
  [
    /\s+(?:from|of|in|out of)\s+(?:the\s+)?(?:response|body|answer|result|json|reply)$/g,
    '',
    'a path begins with the response, $',
  ],
  [
    /(\S+)\s+(?:i?like)\s+(["'])([^%_"']*)%\2/gi,
    'begins($1, $2$3$2)',
    'begins(text, beginning) asks how a text begins',
  ],
  [
    /(\S+)\s+(?:i?like)\s+(["'])%([^%_"']*)\2/gi,
    'ends($1, $2$3$2)',
    'ends(text, ending) asks how a text ends',
  ],
  [
    /(\S+)\s+(?:i?like|matches|~=|includes|has)\s+(["'])%?([^%_"']*)%?\2/gi,
    'contains($1, $2$3$2)',
    'contains(text, part) asks for a part of a text',
  ],
  [
    /^(\S.*?)\s+(?:is\s+(?:there|present|defined|set|given)|exists?)$/gi,
    'exists($1)',
    'exists(path) asks whether something is there',
  ],
  [
    /^(?:no|missing|absent)\s+(\$\S+)$|^(\$\S+)\s+(?:is\s+(?:missing|absent|undefined|gone|not there)|does not exist)$/gi,
    '!exists($1$2)',
    'exists(path) asks whether something is there',
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
    'a member is read as it is',
  ],
  [
    /\b(?:jq|jsonpath|path|xpath|jp)\((['"])\$?\.?([\w.[\]*]+)\1\)/g,
    '$.$2',
    'a member of the response is $.name',
  ],
  [/(?<=[\w\])])\s*->\s*(?=[A-Za-z_])/g, '.', 'a member follows a dot'],
  [/(?<=[\w\])])\?\.(?=[A-Za-z_])/g, '.', 'a member follows a dot'],
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
    'items are filtered by [?@.member …]',
  ],
  [
    /\.(?:filter|where|find|select|findAll|filterBy)\((?:\w+\s*=>\s*\w+|[@$]|it|this)?\.?([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^)]*)\)|\s(?:where|if|such that|with)\s+@?\.?([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b).*)$|[{(]\?@?\.?([A-Za-z_]\w*\s*(?:[<>=!]=?|in\b)[^)}]*)[)}]/g,
    '[?@.$1$2$3]',
    'items are filtered by [?@.member …]',
  ],
  [/\b([a-z][\w-]*)\s*[[{<]\s*([^[\]{}<>]+)\s*[\]}>]/g, '$1($2)', 'arguments go in parentheses: f(x)'],
  [/\b([a-z][\w-]*)\s*:\s*(\$?[\w.[\]*]+)/g, '$1($2)', 'arguments go in parentheses: f(x)'],
  [
    /(\$?[\w.[\]*]+)\s*(?:\|>?|->|\.)\s*([a-z]\w*)(?:\(\))?(?![\w(.])/g,
    '$2($1)',
    'a function comes before its arguments: f(x)',
  ],
  [
    /(\$?[\w.[\]*]+)\s*(?:\|>?|->|\.)\s*([a-z]\w*)\(([^()]+)\)/g,
    '$2($1, $3)',
    'a function comes before its arguments: f(x)',
  ],
  [/\b(?:the\s+)?([a-z]\w*)\s+of\s+(\$?[\w.[\]*]+)/g, '$1($2)', 'arguments go in parentheses: f(x)'],
  [
    /\b([a-z]\w*)\s+(\$[\w.[\]*]+|[A-Za-z_]\w*)(?=\s*(?:[<>=!]|$))/g,
    '$1($2)',
    'arguments go in parentheses: f(x)',
  ],
  [
    /\b(?:Math|_|fn|lodash|fns?|utils?|str|String|Array|Object|JSON|Number|date|list)\.([a-z]\w*)\(/g,
    '$1(',
    'a function is its name alone',
  ],
  [/\b([a-z]\w*)(?=\$\.)/g, '$1(', 'arguments go in parentheses: f(x)'],
  [/[$@#.]([a-z]\w*)\(/g, '$1(', 'a function is its name alone'],
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

/** What an expression may have been meant as. */
export function expressionSlips(value: string): readonly ValueSlip[] {
  const slips = [...lambdas(value)];
  for (const [pattern, text, why, isPlain] of REWRITTEN) {
    const changed =
      typeof text === 'string'
        ? value.replace(pattern, text)
        : value.replace(pattern, (...found: string[]) => text(...found));
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
  const [, before] =
    /^(.*\S)\s+(?:or|else|otherwise|please|then)\s+(?:fail|die|error|stop|abort|skip|exit|throw|raise)$/.exec(
      value,
    ) ?? [];
  for (const text of [first === '' ? undefined : rest?.replace(/\)$/, ''), rest && first! + rest, before])
    if (text) slips.push({ why: 'a condition stands by itself', text });
  return slips;
}

/** Words before a condition. */
const AROUND_CONDITION =
  /^(?:(?:that|assert|check|expect|expects|ensure|verify|require|it|the|then|should|must)\b\s*)+(\(?)(.*)$/i;
