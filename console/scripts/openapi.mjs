// Reads an OpenAPI document from the standard input and says what is wrong with it.
import { Validator } from '@seriousme/openapi-schema-validator'

let text = ''
for await (const chunk of process.stdin) text += chunk
const result = await new Validator().validate(JSON.parse(text))
if (!result.valid) {
  console.error(JSON.stringify(result.errors, null, 1))
  process.exit(1)
}
