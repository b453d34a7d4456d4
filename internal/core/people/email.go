package people

import "strings"

// Reachable reports whether an email address is on a domain that mail may reach: labels with points between them (RFC
// 1035, 2.3.1; RFC 5890 for other scripts), the last of which is no number. An empty address is nobody's and passes.
func Reachable(email string) bool {
	if email == "" {
		return true
	}
	labels := strings.Split(email[strings.LastIndexByte(email, '@')+1:], ".")
	for _, label := range labels {
		if label == "" || len(label) > 63 || strings.HasPrefix(label, "-") || strings.HasSuffix(label, "-") ||
			strings.ContainsFunc(label, func(r rune) bool {
				return r < 128 && r != '-' && !('0' <= r && r <= '9' || 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z')
			}) {
			return false
		}
	}
	last := labels[len(labels)-1]
	return len(labels) > 1 && len(last) > 1 && strings.Trim(last, "0123456789") != ""
}
