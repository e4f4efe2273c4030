package testkit

import "github.com/chromedp/cdproto/runtime"

// awaiting makes an evaluation wait for its promise.
func awaiting(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
