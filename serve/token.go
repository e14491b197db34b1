package serve

import (
	"crypto/subtle"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/labstack/echo/v4"

	"rovik/core/value"
)

const (
	// tokenParameter is where the address that the server prints has its token.
	tokenParameter = "token"
	// tokenCookies and the port name the cookie that the page keeps the token in:
	// cookies are of a host, whatever its port.
	tokenCookies = "rovik-token-"
	tokenKept    = 30 * 24 * time.Hour
)

// codeSignIn is the code of requests without the server's token.
const codeSignIn = "28000"

// address is what a server prints: where it is, with its token.
func address(base, token string) string {
	if token == "" {
		return base
	}
	return base + "/?" + tokenParameter + "=" + url.QueryEscape(token)
}

// withToken asks each request of the API for the server's token, as others who use the same
// machine reach the server too. The printed address brings it, and a cookie keeps it.
// Without a token nothing is asked for.
func withToken(token, port string) echo.MiddlewareFunc {
	is := func(given string) bool { return subtle.ConstantTimeCompare([]byte(given), []byte(token)) == 1 }
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		if token == "" {
			return next
		}
		return func(c echo.Context) error {
			r := c.Request()
			if !strings.HasPrefix(r.URL.Path, "/api") {
				return brought(c, next, port, is)
			}
			if bearer, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok && is(bearer) {
				return next(c)
			}
			if kept, err := r.Cookie(tokenCookies + port); err == nil && is(kept.Value) {
				return next(c)
			}
			c.Response().Header().Set("WWW-Authenticate", "Bearer")
			err := value.Errorf(codeSignIn, "this server asks for its token").
				WithHint("open the address that it printed, or send the token as Authorization: Bearer; it stands in the file token of the server's home")
			return c.JSON(http.StatusUnauthorized, problemOf(err))
		}
	}
}

// brought keeps the token that an address of the page brings, and takes it out of the address.
func brought(c echo.Context, next echo.HandlerFunc, port string, is func(string) bool) error {
	at := *c.Request().URL
	query := at.Query()
	given := query.Get(tokenParameter)
	if given == "" || !is(given) {
		return next(c)
	}
	c.SetCookie(&http.Cookie{Name: tokenCookies + port, Value: given, Path: "/", MaxAge: int(tokenKept.Seconds()), HttpOnly: true, SameSite: http.SameSiteStrictMode})
	query.Del(tokenParameter)
	return c.Redirect(http.StatusSeeOther, (&url.URL{Path: "/" + strings.TrimLeft(at.Path, "/"), RawQuery: query.Encode()}).String())
}
