#!/usr/bin/env node
'use strict';
// Starts the program from dist/. Keeps V8's compiled code in the user's cache folder, since compiling is most of what a
// short command costs. BATHARON_CODE_CACHE=off turns that off.
const { argv } = process;
if (argv.length === 3 && (argv[2] === '--version' || argv[2] === '-V')) {
  console.log(require('../dist/package.json').version);
} else {
  require('./launch.cjs')(require('node:path').join(__dirname, '..', 'dist'), 'batharon');
}
