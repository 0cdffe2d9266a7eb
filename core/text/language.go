package text

import "github.com/abadojack/whatlanggo"

// languages are those told apart. Fewer are told apart better: a short question in English is easily taken for Afrikaans.
var languages = map[whatlanggo.Lang]bool{
	whatlanggo.Eng: true, whatlanggo.Deu: true, whatlanggo.Fra: true, whatlanggo.Spa: true, whatlanggo.Ita: true, whatlanggo.Por: true, whatlanggo.Nld: true,
	whatlanggo.Pol: true, whatlanggo.Swe: true, whatlanggo.Dan: true, whatlanggo.Ces: true, whatlanggo.Ron: true, whatlanggo.Hun: true, whatlanggo.Fin: true,
	whatlanggo.Tur: true, whatlanggo.Rus: true, whatlanggo.Ukr: true, whatlanggo.Ell: true, whatlanggo.Arb: true, whatlanggo.Heb: true, whatlanggo.Hin: true,
	whatlanggo.Cmn: true, whatlanggo.Jpn: true, whatlanggo.Kor: true, whatlanggo.Vie: true,
}

// Language tells in which language a text is written (ISO 639-1), by its letters and their sequences; sure is false when
// it is too short or too mixed to tell.
func Language(s string) (code string, sure bool) {
	info := whatlanggo.DetectWithOptions(s, whatlanggo.Options{Whitelist: languages})
	return info.Lang.Iso6391(), info.IsReliable()
}
