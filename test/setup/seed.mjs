// The same random cases in every run, so that a failure comes from a change; `npm run prove` takes new ones each time.
import fc from 'fast-check';

if (process.env.PROVE !== '1') fc.configureGlobal({ seed: 20261129 });
