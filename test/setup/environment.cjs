// Jest gives each test file globals of its own, so an error made by Node itself would not be `instanceof Error` there.
const { TestEnvironment } = require('jest-environment-node');

module.exports = class extends TestEnvironment {
  async setup() {
    await super.setup();
    for (const name of ['Error', 'TypeError', 'RangeError', 'SyntaxError']) {
      const outer = globalThis[name];
      const inner = this.global[name];
      const own = Function.prototype[Symbol.hasInstance];
      Object.defineProperty(inner, Symbol.hasInstance, {
        configurable: true,
        value(value) {
          return own.call(this, value) || (this === inner && value instanceof outer);
        },
      });
    }
  }
};
