package form

import (
	"strings"
	"testing"
)

// An edit of a text that has become another meanwhile is made where its part is now, or
// refused: never of another part.
func TestRebase(t *testing.T) {
	const seen = "SELECT a.x, a.y, a.z FROM s.t AS a JOIN s.u AS b ON a.x = b.x WHERE a.x > 1 AND a.y > 2 AND a.y > 2 AND a.z > 3 ORDER BY a.x, a.y"
	for _, c := range []struct {
		now  string // what was replaced in seen, and by what
		edit Edit
		want string // in the new text; empty for a refusal
	}{
		{"", Edit{Do: "remove filter", At: 0}, "WHERE a.y > 2 AND a.y > 2 AND a.z > 3"},
		{"a.x > 1 AND |", Edit{Do: "remove filter", At: 3}, "WHERE a.y > 2 AND a.y > 2 ORDER"},
		{"a.x > 1 AND |", Edit{Do: "remove filter", At: 0}, ""},
		{"a.x > 1 AND |", Edit{Do: "set filter", At: 2, Text: "a.y < 9"}, "WHERE a.y > 2 AND a.y < 9 AND a.z > 3"},
		{"a.y > 2 AND a.y > 2|a.y > 2", Edit{Do: "remove filter", At: 2}, ""},
		{"SELECT a.x, |SELECT ", Edit{Do: "remove output", At: 2}, "SELECT a.y FROM"},
		{"SELECT a.x, |SELECT ", Edit{Do: "remove output", Items: []int{0, 2}}, ""},
		{"SELECT |SELECT b.x AS first, ", Edit{Do: "move output", At: 2, To: 0}, "SELECT b.x AS first, a.z, a.x, a.y"},
		{"SELECT |SELECT b.x AS first, ", Edit{Do: "set output", At: 1, Text: "a.y", Name: "why"}, "a.y AS why, a.z"},
		{"SELECT |SELECT b.x AS first, ", Edit{Do: "add output", At: -1, Text: "1", Name: "one"}, "a.z, 1 AS one"},
		{"ORDER BY a.x, |ORDER BY ", Edit{Do: "remove order", At: 1}, "a.z > 3"},
		{"ORDER BY a.x, |ORDER BY ", Edit{Do: "remove order", At: 0}, ""},
		{"AS b|AS c", Edit{Do: "set alias", At: 1, Name: "d"}, ""},
		{"a.z > 3|a.z > 4", Edit{Do: "set join", At: 1, Kind: "left"}, "LEFT JOIN s.u"},
		{"SELECT |SELECT 1 AS one UNION ALL SELECT ", Edit{Do: "remove filter", At: 0}, ""},
	} {
		old, new, _ := strings.Cut(c.now, "|")
		now := strings.Replace(seen, old, new, 1)
		list, err := Rebase(seen, now, c.edit)
		got := ""
		if err == nil {
			if got, err = Apply(now, list...); err != nil {
				t.Errorf("%+v of %s: %v", c.edit, now, err)
				continue
			}
		}
		if c.want == "" != (got == "") || !strings.Contains(strings.Join(strings.Fields(got), " "), c.want) {
			t.Errorf("%+v, made of a text that became\n%s\ngives\n%s, %v\nwithout %q", c.edit, now, got, err, c.want)
		}
	}
}
