package main

import (
	"fmt"
	"os"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/demo"
)

func main() {
	dir, _ := os.MkdirTemp("", "shots")
	url, _, stop, err := browser.Demo(dir, time.Now())
	if err != nil {
		fmt.Println(err)
		return
	}
	defer stop()
	p, end, err := browser.Launch(url, 1280, 800)
	if err != nil {
		fmt.Println(err)
		return
	}
	defer end()
	_ = p.Authenticator()
	fmt.Println(p.Open("/"))
	time.Sleep(time.Second)
	fmt.Println(p.Shot("/tmp/fshots/signin.png"))
	fmt.Println(p.SignIn("signe.halloran", demo.Password))
	for name, path := range map[string]string{"account": "/account", "tokens": "/tokens", "log": "/security-log", "deleg": "/delegations", "edit": "/people/noor.tamsin"} {
		fmt.Println(p.Open(path))
		time.Sleep(1200 * time.Millisecond)
		fmt.Println(p.Shot("/tmp/fshots/" + name + ".png"))
	}
	_ = p.Open("/account")
	_ = p.Click("button", "Set up time codes")
	time.Sleep(1500 * time.Millisecond)
	_ = p.Shot("/tmp/fshots/codes.png")
}
