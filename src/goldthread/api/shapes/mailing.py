"""What goes over the wire about messages to the members of a list."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.mailing import Mailing, Message, Template
from goldthread.core.choices import MailState
from goldthread.shape import Place, Shape


class TemplateBody(Shape):
    """A subject and a text, in which names of fields in braces stand for what each customer has: {name}."""

    subject: str
    text: str
    by: str = ""

    @property
    def template(self) -> Template:
        return Template(self.subject, self.text)


class PreviewQuery(BaseModel):
    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=100)] = 20


class MessageShape(Shape):
    """One message as it will be sent; it is not, where ``blank`` names fields that the customer has nothing for."""

    customer: int
    name: str
    email: str
    subject: str
    text: str
    blank: list[str]

    @classmethod
    def of(cls, message: Message) -> MessageShape:
        return cls.like(message, customer=message.customer_id)


class LeftOutShape(Shape):
    """Members who get no message, and why."""

    reason: str
    customers: int


class PreviewShape(Shape):
    """Messages as they will be sent, from ``offset`` on: ``ready`` of ``count`` can be."""

    count: int
    ready: int
    left_out: list[LeftOutShape]
    offset: int
    messages: list[MessageShape]

    @classmethod
    def of(cls, mailing: Mailing, offset: int, limit: int) -> PreviewShape:
        return cls(
            count=len(mailing.messages),
            ready=len(mailing.ready),
            left_out=[LeftOutShape(reason=reason, customers=count) for reason, count in mailing.left_out.items()],
            offset=offset,
            messages=[MessageShape.of(each) for each in mailing.messages[offset : offset + limit]],
        )


class MailCountShape(Shape):
    state: MailState
    messages: int


class MailsShape(Shape):
    """How many messages of a list stand how, and whether a mail server is set up."""

    set_up: bool
    counts: list[MailCountShape]
