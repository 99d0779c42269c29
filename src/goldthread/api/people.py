"""People: all accounts, the members of a book, and who did what."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, log, people, signing_in
from goldthread.actions.log import Deed
from goldthread.actions.sending import is_set_up
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import csv_reply, reply
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.people import (
    BookMemberShape,
    BookMembersShape,
    DatabasePath,
    LogEntryShape,
    LogPageQuery,
    LogQuery,
    LogShape,
    MemberBody,
    MemberOfBookPath,
    NumberPath,
    PasswordLinkQuery,
    PasswordLinkShape,
    UserBody,
    UserChangeBody,
    UserShape,
    UsersShape,
)
from goldthread.store.log import LogChoice
from goldthread.workspace import Workspace


def blueprint(workspace: Workspace) -> APIBlueprint:
    """This part of the API."""
    api = part("people", "/api")
    _accounts(api, workspace)
    _members(api, workspace)
    _log(api, workspace)
    return api


def _accounts(api: APIBlueprint, workspace: Workspace) -> None:
    def listed() -> Response:
        databases = people.databases_by_user(workspace)
        users = [
            UserShape.like(row, has_code=bool(row.code_secret), databases=databases.get(row.id, []))
            for row in people.list_users(workspace)
        ]
        settings = workspace.settings
        return reply(UsersShape(users=users, mails=is_set_up(settings), databases=list(settings.databases)))

    @api.get("/users", responses={200: UsersShape})
    @asks(Right.ADMINISTER)
    def list_users() -> Response:
        """Every account, ended ones too."""
        return listed()

    @api.post("/users", responses={201: UserShape})
    @asks(Right.ADMINISTER)
    def add_user(body: UserBody) -> Response:
        """Make an account; a link lets somebody set its password."""
        row = people.add_user(workspace, body.name, body.email, is_admin=body.is_admin)
        return reply(UserShape.like(row, has_code=False, databases=[]), 201)

    @api.patch("/users/<int:number>", responses={200: UsersShape})
    @asks(Right.ADMINISTER)
    def change_user(path: NumberPath, body: UserChangeBody) -> Response:
        """Change an account; gives all of them."""
        people.change_user(workspace, people.find_user(workspace, path.number), body.email, body.is_admin)
        return listed()

    @api.delete("/users/<int:number>", responses={200: UsersShape})
    @asks(Right.ADMINISTER)
    def end_user(path: NumberPath) -> Response:
        """End an account, with its sessions, tokens and memberships; what it made stays. Gives all of them."""
        people.end_user(workspace, people.find_user(workspace, path.number))
        return listed()

    @api.post("/users/<int:number>/link", responses={201: PasswordLinkShape})
    @asks(Right.ADMINISTER)
    def make_link(path: NumberPath, query: PasswordLinkQuery) -> Response:
        """A link by which somebody sets their password: an invitation, or for one that was forgotten."""
        user = people.find_user(workspace, path.number)
        return reply(PasswordLinkShape(link=people.password_link(workspace, user, is_mailed=query.mail)), 201)

    @api.delete("/users/<int:number>/sessions", responses={204: None})
    @asks(Right.ADMINISTER)
    def end_sessions_of(path: NumberPath) -> Response:
        """End all sessions of an account."""
        signing_in.end_sessions(workspace, people.find_user(workspace, path.number))
        return Response(status=204)

    @api.delete("/users/<int:number>/codes", responses={200: UsersShape})
    @asks(Right.ADMINISTER)
    def take_codes_away(path: NumberPath) -> Response:
        """Let somebody who lost their one-time codes sign in without; gives all accounts."""
        signing_in.use_no_codes(workspace, people.find_user(workspace, path.number))
        return listed()

    def grant(path: DatabasePath, *, granted: bool) -> Response:
        user = people.find_user(workspace, path.number)
        people.grant_database(workspace, user, path.database, granted=granted)
        return listed()

    @api.put("/users/<int:number>/databases/<database>", responses={200: UsersShape})
    @asks(Right.ADMINISTER)
    def allow_database(path: DatabasePath) -> Response:
        """Let somebody take rows from a database that the settings name; gives all accounts."""
        return grant(path, granted=True)

    @api.delete("/users/<int:number>/databases/<database>", responses={200: UsersShape})
    @asks(Right.ADMINISTER)
    def forbid_database(path: DatabasePath) -> Response:
        """Let somebody take no more rows from a database; gives all accounts."""
        return grant(path, granted=False)


def _members(api: APIBlueprint, workspace: Workspace) -> None:
    def listed(book_id: int) -> Response:
        rows = people.list_members(workspace, books.find_book(workspace, book_id))
        return reply(BookMembersShape(members=BookMemberShape.each_of(rows)))

    @api.get("/books/<int:book>/members", responses={200: BookMembersShape})
    @asks(Right.OWN)
    def list_members(path: BookPath) -> Response:
        """The members of a book."""
        return listed(path.book)

    @api.put("/books/<int:book>/members", responses={200: BookMembersShape})
    @asks(Right.OWN)
    def set_member(path: BookPath, body: MemberBody) -> Response:
        """Make an account a member of a book, or give a member another role; gives all members."""
        book = books.find_book(workspace, path.book)
        people.set_member(workspace, book, people.find_user(workspace, body.user), body.role)
        return listed(path.book)

    @api.delete("/books/<int:book>/members/<int:number>", responses={200: BookMembersShape})
    @asks(Right.OWN)
    def remove_member(path: MemberOfBookPath) -> Response:
        """Somebody is no member any more; gives those who are."""
        book = books.find_book(workspace, path.book)
        people.remove_member(workspace, book, people.find_user(workspace, path.number))
        return listed(path.book)


def _log(api: APIBlueprint, workspace: Workspace) -> None:
    def choice(book_id: int | None, query: LogQuery) -> LogChoice:
        return LogChoice(book_id, query.who, query.deed, query.since, query.until)

    def page(book_id: int | None, query: LogPageQuery) -> Response:
        total, rows = log.read_log(workspace, choice(book_id, query), query.offset, query.limit)
        entries = [LogEntryShape.of(row) for row in rows]
        named = log.people_named(workspace, book_id)
        return reply(LogShape(total=total, entries=entries, people=named, deeds=list(Deed)))

    def taken(book_id: int | None, query: LogQuery) -> Response:
        lines = log.log_csv(workspace, choice(book_id, query))
        log.put_down(workspace, Deed.LOG_TAKEN, book_id)
        return csv_reply((line.encode("utf-8") for line in lines), "log.csv")

    @api.get("/books/<int:book>/log", responses={200: LogShape})
    @asks(Right.OWN)
    def show_log(path: BookPath, query: LogPageQuery) -> Response:
        """Who did what in a book, the newest first."""
        return page(path.book, query)

    @api.get("/books/<int:book>/log/file", responses={200: None})
    @asks(Right.OWN)
    def take_log(path: BookPath, query: LogQuery) -> Response:
        """The same as a file."""
        return taken(path.book, query)

    @api.get("/log", responses={200: LogShape})
    @asks(Right.ADMINISTER)
    def show_log_of_accounts(query: LogPageQuery) -> Response:
        """Who did what outside of books: signing in, accounts, the installation."""
        return page(None, query)

    @api.get("/log/file", responses={200: None})
    @asks(Right.ADMINISTER)
    def take_log_of_accounts(query: LogQuery) -> Response:
        """The same as a file."""
        return taken(None, query)
