package callers

import (
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/request"
	"yalvo/internal/doors/signin"
	"yalvo/internal/doors/tokens"
	"yalvo/internal/engine/running"
)

// Checker is where it is found out who somebody is.
type Checker struct {
	App       *running.App
	Keys      *keys.Ring
	Tokens    *tokens.Checker
	SignIn    *signin.Server
	Gate      *gate.Gate
	Positions request.Positions
}

// Routes are its addresses.
func (s *Checker) Routes(v1 *echo.Group) {
	v1.GET("/session", request.Takes(s.getSession))
	v1.POST("/session", request.Takes(s.postSession))
	v1.DELETE("/session", request.Takes(s.deleteSession))
	v1.POST("/session/link", Operators(keys.Read, request.Takes(s.postLink)))
	v1.POST("/sign-up", request.Takes(s.postSignUp))
	v1.POST("/sign-in", request.Takes(s.postSignIn))
	v1.POST("/sign-in/refresh", request.Takes(s.postRefresh))
	v1.POST("/sign-out", request.Takes(s.postSignOut))
	v1.PUT("/password", request.Takes(s.putPassword))
	v1.GET("/keys", Operators(keys.Operate, request.Takes(s.getKeys)))
	v1.POST("/keys", Operators(keys.Operate, request.Takes(s.postKey)))
	v1.DELETE("/keys/:id", Operators(keys.Operate, request.Takes(s.deleteKey)))
}
