// Squeezes a module for the web in a small part of the usual minifier's time.
const { transformSync } = require('esbuild');

// Nothing is made older than the compiler left it: helpers for that would be globals, of which every module has its own under the same names.
const squeeze = (code) => transformSync(code, { minify: true, target: 'esnext', legalComments: 'none' }).code;

// A function in parentheses is read whole at once, beside the page's own work; else it is skimmed first and read again when it is called.
const readAtOnce = (module) => module.replace(/^__d\((function\b[^]*\})\);\s*$/, '__d(($1));');

module.exports = ({ code }) => ({ code: readAtOnce(squeeze(code)), map: undefined });
