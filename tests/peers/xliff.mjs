// Reads an XLIFF file of either version with a reader that we did not write, and writes it again.
// Usage: node xliff.mjs IN OUT
import { readFileSync, writeFileSync } from 'node:fs'
import { js2xliff, jsToXliff12, xliff12ToJs, xliff2js } from 'xliff'

const [, , from, to] = process.argv
const text = readFileSync(from, 'utf8')
const old = text.includes('version="1.2"')
const js = await (old ? xliff12ToJs(text) : xliff2js(text))
const again = await (old ? jsToXliff12(js) : js2xliff(js))
writeFileSync(to, again)
console.log(Object.values(js.resources).reduce((sum, units) => sum + Object.keys(units).length, 0))
