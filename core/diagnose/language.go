package diagnose

import "jolvex/core/lang"

// en is the language whose words are looked for.
var en = lang.English()
