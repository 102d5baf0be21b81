module.exports = globalThis.outerPiscina;
