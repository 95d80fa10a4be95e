import type { ContractCoverage, OperationCoverage } from '../../core/contract/coverage.ts';
import style from '../page/style.css';
import { deviationLine, statusText, summaryOf } from './contract-texts.ts';

/** The contract of services as a page that needs no network and runs nothing. */
export function contractHtml(all: readonly ContractCoverage[]): string {
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<title>Contract of ${escaped(all.map(({ service }) => service).join(', '))}</title>
<style>${style}
${OWN_STYLE}</style>
</head>
<body>
<main class="contract">
${all.map(ofService).join('\n')}
</main>
</body>
</html>
`;
}

const OWN_STYLE = `
.contract { max-width: 76rem; margin: 0 auto; padding: 1.5rem; }
.contract h1 { font-size: 1.3rem; margin: 0 0 .3rem; }
.contract h2 { font-size: 1rem; margin: 1.6rem 0 .4rem; }
.contract p { margin: 0 0 .6rem; }
.contract table { border-collapse: collapse; width: 100%; font-size: .9rem; }
.contract th { text-align: left; font-weight: 600; padding: .3rem .8rem .3rem 0; }
.contract td { padding: .3rem .8rem .3rem 0; border-top: 1px solid color-mix(in srgb, currentColor 15%, transparent); vertical-align: top; overflow-wrap: anywhere; }
.contract code { font-family: ui-monospace, monospace; }
.contract .wrong { font-weight: 600; }
.contract .never { opacity: .6; }
.contract .never .never { opacity: 1; }
`;

function ofService(coverage: ContractCoverage): string {
  const { deviations, file, operations, service, title, unknown } = coverage;
  return `<section>
<h1>${escaped(service)}: ${escaped(title)}</h1>
<p>${escaped(summaryOf(coverage))} · <code>${escaped(file)}</code></p>
${
  deviations.length === 0
    ? ''
    : `<h2>Deviations</h2>
<table>
<thead><tr><th>operation</th><th>deviation</th><th>times</th><th>last in run</th></tr></thead>
<tbody>
${deviations
  .map(
    (one) =>
      `<tr><td><code>${escaped(one.operation)}</code></td><td class="wrong">${escaped(deviationLine(one))}</td><td>${one.count}</td><td><code>${escaped(one.run)}</code></td></tr>`,
  )
  .join('\n')}
</tbody>
</table>`
}
<h2>Operations</h2>
<table>
<thead><tr><th>operation</th><th>calls</th><th>statuses</th><th>members never seen</th></tr></thead>
<tbody>
${operations.map(row).join('\n')}
</tbody>
</table>
${
  unknown.length === 0
    ? ''
    : `<h2>Not described</h2>
<table><tbody>
${unknown.map(({ request, count }) => `<tr><td><code>${escaped(request)}</code></td><td>${count}</td></tr>`).join('\n')}
</tbody></table>`
}
</section>`;
}

function row(one: OperationCoverage): string {
  const { calls, neverSeen, operation, statuses } = one;
  const status = statuses
    .map(
      (each) =>
        `<span class="${each.count === 0 ? 'never' : each.isDescribed ? 'met' : 'wrong'}">${escaped(statusText(each))}</span>`,
    )
    .join(', ');
  const members =
    neverSeen.length === 0
      ? ''
      : `<details><summary>${neverSeen.length} of ${one.members}</summary>${neverSeen.map((path) => `<div><code>${escaped(path)}</code></div>`).join('')}</details>`;
  return `<tr${calls === 0 ? ' class="never"' : ''}><td><code>${escaped(operation)}</code></td><td>${calls === 0 ? 'never' : calls}</td><td>${status}</td><td>${members}</td></tr>`;
}

function escaped(text: string): string {
  return text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);
}
