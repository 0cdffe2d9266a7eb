package check

import (
	"fmt"
	"net/url"
	"regexp"
	"strings"

	"jolvex/core/text"
)

var (
	cardNumber = regexp.MustCompile(`(?:^|[^\d.,])((?:\d[ -]?){12,18}\d)\b`)
	account    = regexp.MustCompile(`\b[A-Z]{2}\d{2}(?: ?[A-Z0-9]{4}){2,7}(?: ?[A-Z0-9]{1,3})?\b`)
	ownPhone   = en.Pattern("own-phone")
	birth      = en.Pattern("birth")
	personName = regexp.MustCompile(`^[a-z]{2,}[._][a-z]{2,}\d*$`)
	// Mailboxes of a task rather than of a person. (Common practice, no published source.)
	roleBox = en.Pattern("role-box")
	// Providers of mailboxes for private people. (Common practice, no published source.)
	freeMail = regexp.MustCompile(`@(?:gmail|googlemail|hotmail|outlook|live|msn|yahoo|icloud|me|aol|gmx|web|proton|protonmail|btinternet|mail)\.[a-z.]+$`)
)

// Luhn reports whether the digits of s pass the check of ISO/IEC 7812-1, annex B, which card numbers carry.
func Luhn(s string) bool {
	sum, n := 0, 0
	for i := len(s) - 1; i >= 0; i-- {
		c := s[i]
		if c < '0' || c > '9' {
			continue
		}
		x := int(c - '0')
		if n%2 == 1 {
			if x *= 2; x > 9 {
				x -= 9
			}
		}
		sum += x
		n++
	}
	return n > 1 && sum%10 == 0
}

// card tells whether digits look like the number of a payment card: 13 to 19 of them, beginning as the schemes' numbers do
// (ISO/IEC 7812-1, major industry identifiers 3 to 6, and 2 for one scheme), with a right check digit.
func card(s string) bool {
	digits := strings.NewReplacer(" ", "", "-", "").Replace(s)
	if len(digits) < 13 || len(digits) > 19 || digits[0] < '2' || digits[0] > '6' || strings.Count(digits, digits[:1]) == len(digits) {
		return false
	}
	return Luhn(digits) && !dates.MatchString(s)
}

// dates are digits that are written as dates or moments are, which can have a right check digit by chance.
var dates = regexp.MustCompile(`(?:^|\D)(?:19|20)\d\d[ -]?(?:0[1-9]|1[0-2])[ -]?(?:0[1-9]|[12]\d|3[01])`)

// links are addresses of the web and their parts: numbers in them are names of things.
var links = regexp.MustCompile(`(?i)\b(?:https?://|www\.)\S+|\S*[/?=&]\S*\d{6,}\S*`)

// IBAN reports whether s is a bank account number with right check digits (ISO 13616: the remainder by 97 is 1).
func IBAN(s string) bool {
	s = strings.ReplaceAll(strings.ToUpper(s), " ", "")
	if len(s) < 15 || len(s) > 34 {
		return false
	}
	rest := 0
	for _, c := range s[4:] + s[:4] {
		switch {
		case c >= '0' && c <= '9':
			rest = (rest*10 + int(c-'0')) % 97
		case c >= 'A' && c <= 'Z':
			rest = (rest*100 + int(c-'A') + 10) % 97
		default:
			return false
		}
	}
	return rest == 1
}

// personal finds what belongs to a person rather than to an organisation.
func (l *Look) personal(in Input, list []sentence) {
	host := ""
	if u, err := url.Parse(in.Address); err == nil {
		host = strings.TrimPrefix(u.Hostname(), "www.")
	}
	for _, s := range list {
		t := s.text
		var told []Finding
		shownAs := t
		tell := func(sev Severity, what string, shown string) {
			shownAs = strings.ReplaceAll(shownAs, shown, masked(shown))
			told = append(told, Finding{Kind: PersonalData, Severity: sev, At: Passage{Document: in.ID, Span: s.span}, Detail: what})
		}
		banked := false
		if strings.ContainsAny(t, "0123456789") {
			for _, m := range cardNumber.FindAllStringSubmatch(links.ReplaceAllString(t, " "), -1) {
				if card(m[1]) {
					tell(High, "a number that passes the check of a payment card", m[1])
				}
			}
			for _, m := range account.FindAllString(t, -1) {
				if IBAN(m) {
					banked = true
					if personalAccount(t) {
						tell(Medium, "a bank account number", m)
					}
				}
			}
		}
		for _, q := range s.figures {
			shown := t[q.Start:q.End]
			switch q.Kind {
			case text.Mail:
				local, domain, _ := strings.Cut(q.Value, "@")
				switch {
				case freeMail.MatchString(q.Value):
					tell(Medium, "the mail address of a private mailbox", shown)
				case personName.MatchString(local) && !roleBox.MatchString(local) && !reserved(domain):
					tell(Medium, fmt.Sprintf("a mail address that names a person%s", atHome(host, domain)), shown)
				}
			case text.Phone:
				if banked {
					continue // its digits
				}
				if before := t[max(0, q.Start-40):q.Start]; ownPhone.MatchString(before) {
					tell(Medium, "the telephone number of a person", shown)
				}
			case text.Date:
				if birth.MatchString(t[:q.Start]) && !strings.HasPrefix(q.Value, "-") {
					tell(Medium, "a date of birth", shown)
				}
			}
		}
		for _, f := range told { // none of them copies what another one warns of
			f.At.Text = clip(shownAs)
			l.find(f)
		}
	}
}

// reserved are the domains that examples use (RFC 2606), and those of mailing lists.
func reserved(domain string) bool {
	return strings.HasPrefix(domain, "lists.") || domain == "example.com" || domain == "example.org" || domain == "example.net"
}

func atHome(host, domain string) string {
	if host != "" && (host == domain || strings.HasSuffix(host, "."+domain)) {
		return " of the site itself"
	}
	return ""
}

// personalAccount tells an account that is somebody's from one that customers are to pay into.
func personalAccount(s string) bool {
	low := strings.ToLower(s)
	for _, w := range []string{"pay to", "pay into", "transfer to", "our account", "our bank", "donat", "company account"} {
		if strings.Contains(low, w) {
			return false
		}
	}
	return true
}

// masked hides the middle of what is personal: a list of findings is no place to copy it to.
func masked(s string) string {
	r := []rune(s)
	if at := strings.IndexByte(s, '@'); at > 0 {
		return s[:1] + "…" + s[at:]
	}
	if len(r) <= 6 {
		return "…"
	}
	return string(r[:2]) + "…" + string(r[len(r)-2:])
}
