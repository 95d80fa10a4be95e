#!/usr/bin/env node
'use strict';
// Starts the program from dist/. Keeps V8's compiled code in the user's cache folder, since compiling is most of what a
// short command costs. BATHARON_CODE_CACHE=off turns that off.
const launch = require('./launch.cjs');
launch(require('node:path').join(__dirname, '..', 'dist'), 'batharon');
