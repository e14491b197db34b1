package tests

import (
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// A page without the server's token asks for it, says where it stands, and goes on with it.
func TestBrowserAsksForTheToken(t *testing.T) {
	ctx, base := page(t)
	asked := until(`document.querySelector('[aria-label="Token"]')`)
	do(t, ctx, "without the token", network.ClearBrowserCookies(), chromedp.Navigate(base+"/view/joined/object_on_loan"), asked,
		until(`document.body.innerText.includes('the file token of the server’s home')`))
	do(t, ctx, "a wrong token", fill("Token", "wrong\r"), chromedp.WaitVisible(`//*[@role="alert"][.="That is not its token."]`))
	var at string
	do(t, ctx, "the token", fill("Token", testToken+"\r"), chromedp.WaitVisible(`//aside//*[.="object_on_loan"]`), chromedp.Location(&at))
	if at != base+"/view/joined/object_on_loan" {
		t.Errorf("with the token the page is at %s", at)
	}
	var cookies string
	do(t, ctx, "what scripts see", chromedp.Evaluate("document.cookie", &cookies))
	if cookies != "" {
		t.Errorf("scripts see the cookies %q", cookies)
	}
}
