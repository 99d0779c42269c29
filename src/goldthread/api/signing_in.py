"""Who asks: sign in and out, set a password, one's own account."""

from __future__ import annotations

import hmac

from flask import Response, current_app, request, session
from flask_openapi3 import APIBlueprint
from flask_wtf.csrf import generate_csrf

from goldthread import __version__
from goldthread.actions import books, company, people, signing_in
from goldthread.actions.jobs import JobBoard
from goldthread.actions.sending import is_set_up
from goldthread.actions.signing_in import SignedIn
from goldthread.actor import Right, actor
from goldthread.api.access import SESSION, asks, forget_who_asks, wants_codes, who_asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.people import (
    CodeBody,
    FirstAccountBody,
    LinkBody,
    LinkNameShape,
    NameBody,
    NewCodeShape,
    NewPasswordBody,
    NewTokenShape,
    NumberPath,
    OwnPasswordBody,
    PersonShape,
    ProofBody,
    RecoveryShape,
    SessionShape,
    SignInBody,
    SignInShape,
    SignInsShape,
    TokenBody,
    TokenShape,
    TokensShape,
    UseCodesBody,
)
from goldthread.errors import Conflict, SignInNeeded, SignInRefused
from goldthread.store.people import UserRow
from goldthread.store.sign_ins import LEAVING_SECONDS
from goldthread.workspace import Workspace

_COMPANY = "gold-thread-company"
"""The cookie of a browser that went to the company's own sign-in."""


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """This part of the API."""
    api = part("signing in", "/api")
    _sign_in(api, workspace, jobs)
    _own_account(api, workspace)
    return api


def _company_path(workspace: Workspace) -> str:
    return f"{workspace.settings.root}/api/sign-in/company"


def _from() -> tuple[str, str]:
    """Where a request comes from, and what sends it."""
    return request.remote_addr or "", request.headers.get("User-Agent", "")


def _remember(signed_in: SignedIn) -> None:
    """A session of its own, which nobody who knew the one before can use."""
    session.clear()
    session[SESSION] = signed_in.secret
    forget_who_asks()


def _sign_in(api: APIBlueprint, workspace: Workspace, jobs: JobBoard) -> None:
    def begun(signed_in: SignedIn) -> Response:
        _remember(signed_in)
        return told()

    def told() -> Response:
        found, who, settings = who_asks(workspace), actor(), workspace.settings
        user = None if who.user is None else people.find_user(workspace, who.user)
        databases = list(settings.databases) if user is None else people.databases_of(workspace, user.id)
        return reply(
            SessionShape(
                csrf_token=generate_csrf(),
                version=__version__,
                upload_limit_mib=settings.upload_limit_mib,
                databases=databases if who.may(Right.PERSON) else [],
                has_accounts=found.has_accounts,
                wants_first_account=not found.has_accounts and settings.is_for_others,
                needs_code=found.user is not None and not found.is_whole,
                mails=is_set_up(settings),
                company=settings.oidc_name if settings.oidc_issuer else "",
                may_begin_books=people.may_begin(workspace, who),
                person=None
                if user is None
                else PersonShape.like(user, has_code=found.has_code, wants_code=wants_codes(settings, found)),
            )
        )

    @api.get("/session", responses={200: SessionShape})
    @asks(Right.ANYBODY)
    def show_session() -> Response:
        """Who is signed in, and the token that a page sends with every change."""
        return told()

    @api.post("/sign-in", responses={200: SessionShape})
    @asks(Right.ANYBODY)
    def sign_in(body: SignInBody) -> Response:
        """Sign in with name and password. 401 where they do not fit, 429 after too many tries."""
        return begun(signing_in.sign_in(workspace, body.name, body.password, *_from()))

    @api.post("/sign-in/code", responses={200: SessionShape})
    @asks(Right.ANYBODY)
    def give_code(body: CodeBody) -> Response:
        """Give the one-time code, or a recovery code, that is wanted after the password."""
        found = who_asks(workspace)
        if found.user is None or found.sign_in is None or found.is_whole:
            raise SignInNeeded("No code is wanted now.", remedy="Sign in with your password first.")
        code = signing_in.give_code(workspace, found.user, found.sign_in, body.code, request.remote_addr or "")
        return begun(code)

    @api.post("/sign-out", responses={200: SessionShape})
    @asks(Right.ANYBODY)
    def sign_out() -> Response:
        """End the session."""
        found = who_asks(workspace)
        if found.user is not None and found.sign_in is not None:
            signing_in.sign_out(workspace, found.user, found.sign_in)
        session.clear()
        forget_who_asks()
        response = told()
        response.headers["Clear-Site-Data"] = '"cache"'
        return response

    @api.get("/sign-in/company", responses={302: None})
    @asks(Right.ANYBODY)
    def leave_for_company() -> Response:
        """Go and sign in with the company's own (OpenID Connect)."""
        leaving = company.leave(workspace)
        response = Response(status=302, headers={"Location": leaving.address})
        # whoever comes back comes from another site, so that a strict cookie would stay at home
        how = {"httponly": True, "samesite": "Lax", "secure": current_app.config["SESSION_COOKIE_SECURE"]}
        response.set_cookie(_COMPANY, leaving.state, max_age=LEAVING_SECONDS, path=_company_path(workspace), **how)
        return response

    @api.get("/sign-in/company/back", responses={200: None})
    @asks(Right.ANYBODY)
    def come_back_from_company() -> Response:
        """Come back from there; the page begins anew as whoever it is."""
        try:
            signed_in = company.come_back(workspace, request.cookies.get(_COMPANY, ""), request.args, *_from())
        except SignInRefused:
            company.note_refused(workspace, request.remote_addr or "")
            raise
        _remember(signed_in)
        # the session goes along once the page itself leads on
        onward = f'<meta http-equiv="refresh" content="0;url={workspace.settings.root}/">'
        response = Response(f"<!doctype html>{onward}", content_type="text/html; charset=utf-8")
        response.delete_cookie(_COMPANY, path=_company_path(workspace))
        return response

    @api.post("/first-account", responses={200: SessionShape})
    @asks(Right.ANYBODY)
    def make_first_account(body: FirstAccountBody) -> Response:
        """Make the first account, which administers; whoever does so shows that they read files of the server."""
        if who_asks(workspace).has_accounts:
            raise Conflict("There are accounts already.", remedy="Sign in with yours.")
        if not hmac.compare_digest(body.code.strip().encode(), workspace.settings.first_account_code.encode()):
            raise SignInRefused(
                "This is not the code of this server.",
                remedy="It stands in the file first-account in the server's folder of running data.",
            )
        people.add_user(workspace, body.name, body.email, is_admin=True, password=body.password)
        return begun(signing_in.sign_in(workspace, body.name, body.password, *_from()))

    @api.post("/password-link", responses={200: LinkNameShape})
    @asks(Right.ANYBODY)
    def show_link(body: LinkBody) -> Response:
        """Whose password a link sets."""
        return reply(LinkNameShape(name=people.user_of_link(workspace, body.link).name))

    @api.post("/password-link/mail", responses={204: None})
    @asks(Right.ANYBODY)
    def ask_for_link(body: NameBody) -> Response:
        """Have a link mailed to an account whose password was forgotten. The reply is the same whoever it is."""
        people.ask_for_link(workspace, body.name, request.remote_addr or "")
        jobs.start("mail password link", name=body.name)
        return Response(status=204)

    @api.post("/password", responses={200: LinkNameShape})
    @asks(Right.ANYBODY)
    def set_password(body: NewPasswordBody) -> Response:
        """Set a password by a link, which works once and for an hour. Sessions of the account end."""
        return reply(LinkNameShape(name=people.set_password(workspace, body.link, body.password)))


def _own_account(api: APIBlueprint, workspace: Workspace) -> None:
    def me() -> UserRow:
        who = actor()
        if who.user is None:
            raise Conflict("Nobody has an account here yet.", remedy="Make one: goldthread user add NAME --admin.")
        return people.find_user(workspace, who.user)

    def sessions() -> Response:
        this = who_asks(workspace).sign_in
        rows = signing_in.list_sessions(workspace, me().id)
        return reply(SignInsShape(sessions=[SignInShape.like(row, is_this=row.id == this) for row in rows]))

    @api.get("/account/sessions", responses={200: SignInsShape})
    @asks(Right.SELF)
    def list_sessions() -> Response:
        """One's own sessions."""
        return sessions()

    @api.delete("/account/sessions/<int:number>", responses={200: SignInsShape})
    @asks(Right.SELF)
    def end_session(path: NumberPath) -> Response:
        """End a session of one's own; gives those that are left."""
        signing_in.end_sessions(workspace, me(), only=path.number)
        return sessions()

    @api.delete("/account/sessions", responses={200: SignInsShape})
    @asks(Right.SELF)
    def end_other_sessions() -> Response:
        """End all sessions of one's own but this."""
        signing_in.end_sessions(workspace, me(), but=who_asks(workspace).sign_in)
        return sessions()

    @api.put("/account/password", responses={204: None})
    @asks(Right.SELF)
    def change_password(body: OwnPasswordBody) -> Response:
        """Set another password; all other sessions end."""
        signing_in.change_password(workspace, me(), body.known, body.password, who_asks(workspace).sign_in)
        return Response(status=204)

    @api.post("/account/codes", responses={200: NewCodeShape})
    @asks(Right.SELF)
    def begin_codes() -> Response:
        """The secret of new one-time codes; they are used once one of them was given."""
        return reply(NewCodeShape.like(signing_in.begin_code(me())))

    @api.put("/account/codes", responses={200: RecoveryShape})
    @asks(Right.SELF)
    def use_codes(body: UseCodesBody) -> Response:
        """Sign in with one-time codes from now on (RFC 6238)."""
        user = me()
        signing_in.must_be(workspace, user, body.known)
        return reply(RecoveryShape(codes=signing_in.use_codes(workspace, user, body.secret, body.code)))

    @api.post("/account/no-codes", responses={204: None})
    @asks(Right.SELF)
    def use_no_codes(body: ProofBody) -> Response:
        """Sign in without one-time codes from now on."""
        user = me()
        signing_in.must_be(workspace, user, body.known)
        signing_in.use_no_codes(workspace, user)
        return Response(status=204)

    def tokens() -> list[TokenShape]:
        return TokenShape.each_of(people.list_tokens(workspace, me().id))

    @api.get("/account/tokens", responses={200: TokensShape})
    @asks(Right.SELF)
    def list_tokens() -> Response:
        """One's own tokens."""
        return reply(TokensShape(tokens=tokens()))

    @api.post("/account/tokens", responses={201: NewTokenShape})
    @asks(Right.SELF)
    def add_token(body: TokenBody) -> Response:
        """Make a token for a program: for one book, with a role not above one's own there."""
        book = books.find_own_book(workspace, body.book)
        token, _ = people.add_token(workspace, me(), book, body.role, body.name, body.days)
        return reply(NewTokenShape(token=token, tokens=tokens()), 201)

    @api.delete("/account/tokens/<int:number>", responses={200: TokensShape})
    @asks(Right.SELF)
    def end_token(path: NumberPath) -> Response:
        """End a token of one's own; gives those that are left."""
        people.end_token(workspace, path.number, me().id)
        return reply(TokensShape(tokens=tokens()))
